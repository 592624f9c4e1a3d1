// Starts the language server for .upath files, and shows what its commands print.
const vscode = require("vscode");
const { LanguageClient } = require("vscode-languageclient/node");

let client;

exports.activate = async (context) => {
  const command = vscode.workspace.getConfiguration("usualpath").get("command");
  client = new LanguageClient("usualpath", "Usual Path", { command, args: ["lsp"] }, { documentSelector: [{ language: "upath" }] });
  context.subscriptions.push(
    vscode.commands.registerCommand("usualpath.runFile", () => {
      const editor = vscode.window.activeTextEditor;
      if (editor) {
        return vscode.commands.executeCommand("usualpath.run", editor.document.uri.fsPath);
      }
    }),
  );
  await client.start();
};

exports.deactivate = () => client && client.stop();
