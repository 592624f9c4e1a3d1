package tests

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// luaBlock is a set-up in the page about editors.
var luaBlock = regexp.MustCompile("(?s)```lua\n(.*?)```")

// The set-up for a real editor, as the page has it: it shows what is wrong, completes,
// renames, formats and goes to where a name is made.
func TestInARealEditor(t *testing.T) {
	t.Parallel()
	nvim, err := exec.LookPath("nvim")
	if err != nil {
		t.Skip("no such editor is installed here")
	}
	page, err := os.ReadFile("../editors/README.md")
	require.NoError(t, err)
	setUp := luaBlock.FindStringSubmatch(string(page))
	require.NotNil(t, setUp)
	dir := folder(t, "project.upath", "project p\n\nbase http://127.0.0.1:9\n", "init.lua", setUp[1], "bin/none", "",
		"a.upath", "scenario   \"s\"\n  step \"t\"\n    send POST /boats\n    expect status 201\n    keep id from $.id\n\n  step \"u\"\n    send GET /boats/{id}\n    expct status 200\n",
		"drive.lua", `
local function ask(method, params)
  local all = vim.lsp.buf_request_sync(0, method, params, 8000)
  for _, one in pairs(all or {}) do return one.result end
end
local function at(line, column)
  vim.api.nvim_win_set_cursor(0, { line, column })
  return vim.lsp.util.make_position_params(0, "utf-16")
end
local out = {}
local function say(what) table.insert(out, what) end
vim.wait(15000, function() return #vim.diagnostic.get(0) > 0 end, 20)
for _, d in ipairs(vim.diagnostic.get(0)) do say("diagnostic " .. d.lnum + 1 .. " " .. d.message) end
vim.api.nvim_buf_set_lines(0, 8, 9, false, { "    expect status 200" })
vim.wait(15000, function() return #vim.diagnostic.get(0) == 0 end, 20)
say("then " .. #vim.diagnostic.get(0))
say("definition line " .. ask("textDocument/definition", at(8, 21)).range.start.line + 1)
for _, c in ipairs(ask("textDocument/completion", at(9, 18))) do if c.label == "2xx" or c.label == "200" then say("completes " .. c.label) end end
local p = at(8, 21)
p.newName = "boat"
local edit = ask("textDocument/rename", p)
vim.lsp.util.apply_workspace_edit(edit, "utf-16")
local format = ask("textDocument/formatting", { textDocument = vim.lsp.util.make_text_document_params(), options = { tabSize = 2, insertSpaces = true } })
vim.lsp.util.apply_text_edits(format, vim.api.nvim_get_current_buf(), "utf-16")
say(table.concat(vim.api.nvim_buf_get_lines(0, 0, -1, false), "\n"))
io.stdout:write(table.concat(out, "\n") .. "\n")
vim.cmd("qa!")
`)
	require.NoError(t, os.Symlink(program, filepath.Join(dir, "bin", "usualpath")))
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	c := exec.CommandContext(ctx, nvim, "--headless", "-i", "NONE", "-u", "init.lua", "a.upath", "-c", "luafile drive.lua")
	c.Dir = dir
	c.Env = append(os.Environ(), "PATH="+filepath.Join(dir, "bin")+string(os.PathListSeparator)+os.Getenv("PATH"), "XDG_STATE_HOME="+dir, "XDG_DATA_HOME="+dir, "XDG_CACHE_HOME="+dir)
	data, err := c.CombinedOutput()
	require.NoError(t, err, "%s", data)
	text := strings.ReplaceAll(string(data), "\r", "")
	for _, w := range []string{"diagnostic 9 ", "did you mean `expect`?", "then 0", "definition line 5", "completes 2xx",
		"scenario \"s\"\n  step \"t\"\n", "keep boat from $.id", "send GET /boats/{boat}"} {
		assert.Contains(t, text, w)
	}
}
