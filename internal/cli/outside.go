package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// environmentOf is the environment that a flag names, or the one of the shell.
func environmentOf(flag string) string {
	if flag != "" {
		return flag
	}
	return os.Getenv("USUALPATH_ENV")
}

// outside are values that flags give to names: NAME=VALUE, as JSON where it
// reads as JSON, else as text.
func outside(flags []string) (map[string]*value.Value, error) {
	out := map[string]*value.Value{}
	for _, f := range flags {
		name, text, ok := strings.Cut(f, "=")
		switch {
		case !ok || !syntax.IsName(name):
			return nil, usage(fmt.Sprintf("--let %s does not bind a name", f), "write --let port=8080, --let 'boat={\"name\": \"Tern\"}'")
		case name == "turn":
			return nil, usage("--let turn: `turn` counts copies and items, and is not bound from outside", "")
		}
		v, err := value.Decode(text, value.Limits{})
		if err != nil {
			v = value.NewString(text)
		}
		out[name] = v
	}
	return out, nil
}

// notSecret refuses values from outside for what the files bind as a secret: a
// command line is no place for one.
func notSecret(p *project.Project) error {
	for _, n := range p.Secrets() {
		if p.Let[n] != nil {
			return usage("--let "+n+": the files bind it as a secret, and a command line is read by others", "set its environment variable")
		}
	}
	return nil
}

// atLines takes the lines off arguments that are FILE:LINE: the files, and the
// lines by absolute path. What is a file as it stands is no such argument.
func atLines(args []string) ([]string, map[string][]int) {
	var files []string
	lines := map[string][]int{}
	for _, arg := range args {
		file, digits := arg, ""
		if i := strings.LastIndexByte(arg, ':'); i > 0 {
			file, digits = arg[:i], arg[i+1:]
		}
		n, err := strconv.Atoi(digits)
		if _, there := os.Stat(arg); there == nil || err != nil || n < 1 || strings.Trim(digits, "0123456789") != "" {
			files = append(files, arg)
			continue
		}
		if abs, err := filepath.Abs(file); err == nil {
			lines[abs] = append(lines[abs], n)
		}
		if !slices.Contains(files, file) {
			files = append(files, file)
		}
	}
	return files, lines
}
