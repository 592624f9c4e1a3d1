// Command release makes what is handed out of one commit: a static binary for each target,
// with manual pages and completions, packages for Debian and for rpm, the licences of the
// libraries, a bill of materials, and checksums. The same commit gives the same bytes.
package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"
)

// targets are the systems and processors that binaries are made for.
var targets = []string{"linux/amd64", "linux/arm64", "darwin/amd64", "darwin/arm64", "freebsd/amd64", "windows/amd64", "windows/arm64"}

// making is one release.
type making struct {
	// root is the checkout, out where files go, work where they are made.
	root, out, work string
	version, commit string
	// made is when the commit was made: all files have that time.
	made    time.Time
	modules []module
}

func main() {
	out := flag.String("out", "dist", "the folder to write to")
	version := flag.String("version", "", "the version (default: the commit's tag, or 0.0.0 and the commit)")
	only := flag.String("only", "", "targets to make, SYSTEM/PROCESSOR with commas between (default: all)")
	flag.Parse()
	if err := release(*out, *version, *only); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

func release(out, version, only string) error {
	list := targets
	if only != "" {
		list = strings.Split(only, ",")
		for _, t := range list {
			if !slices.Contains(targets, t) {
				return fmt.Errorf("%s is not a target: there are %s", t, strings.Join(targets, ", "))
			}
		}
	}
	m, err := begin(out, version)
	if err != nil {
		return err
	}
	defer os.RemoveAll(m.work)
	if m.modules, err = m.libraries(); err != nil {
		return err
	}
	licences := filepath.Join(m.work, "THIRD-PARTY-LICENSES.txt")
	if err := m.licences(licences); err != nil {
		return err
	}
	if err := m.extras(); err != nil {
		return err
	}
	for _, t := range list {
		if err := m.target(t); err != nil {
			return fmt.Errorf("%s: %w", t, err)
		}
		fmt.Println("made", t)
	}
	if err := m.materials(filepath.Join(m.out, "usualpath-"+m.version+".cdx.json")); err != nil {
		return err
	}
	return m.checksums()
}

func begin(out, version string) (*making, error) {
	root, err := output("", "git", "rev-parse", "--show-toplevel")
	if err != nil {
		return nil, err
	}
	commit, err := output(root, "git", "rev-parse", "HEAD")
	if err != nil {
		return nil, err
	}
	at, err := output(root, "git", "show", "-s", "--format=%cI", "HEAD")
	if err != nil {
		return nil, err
	}
	made, err := time.Parse(time.RFC3339, at)
	if err != nil {
		return nil, err
	}
	if version == "" {
		tag, err := output(root, "git", "describe", "--tags", "--exact-match", "HEAD")
		if version = strings.TrimPrefix(tag, "v"); err != nil {
			version = "0.0.0-" + commit[:12]
		}
	}
	out, err = filepath.Abs(out)
	if err != nil {
		return nil, err
	}
	if there, _ := filepath.Glob(filepath.Join(out, "*")); len(there) > 0 {
		return nil, fmt.Errorf("%s is not empty", out)
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return nil, err
	}
	work, err := os.MkdirTemp("", "release-*")
	return &making{root: root, out: out, work: work, version: version, commit: commit, made: made.UTC()}, err
}

// build makes the binary for a target.
func (m *making) build(target, name string) error {
	system, processor, _ := strings.Cut(target, "/")
	flags := fmt.Sprintf("-s -w -buildid= -X usualpath/internal/cli.released=%s -X usualpath/internal/cli.commit=%s -X usualpath/internal/cli.date=%s", m.version, m.commit, m.made.Format(time.RFC3339))
	c := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", flags, "-o", name, "./cmd/usualpath")
	c.Dir = m.root
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+processor, "GOFLAGS=", "GOAMD64=v1", "GOARM64=v8.0")
	if said, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, said)
	}
	return nil
}

// extras are made once for all systems: manual pages, and completions as the tool gives them here.
func (m *making) extras() error {
	own := filepath.Join(m.work, "own")
	if err := m.build(runtime.GOOS+"/"+runtime.GOARCH, own); err != nil {
		return err
	}
	if _, err := output(m.root, "go", "run", "./internal/cli/manual", filepath.Join(m.work, "man"), m.version); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(m.work, "completions"), 0o755); err != nil {
		return err
	}
	for shell, name := range map[string]string{"bash": "usualpath.bash", "zsh": "_usualpath", "fish": "usualpath.fish", "powershell": "usualpath.ps1"} {
		c := exec.Command(own, "completion", shell)
		text, err := c.Output()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(m.work, "completions", name), text, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// target makes the archive for a target, and packages where the system has them.
func (m *making) target(target string) error {
	system, processor, _ := strings.Cut(target, "/")
	binary := filepath.Join(m.work, system+"-"+processor, "usualpath")
	if system == "windows" {
		binary += ".exe"
	}
	if err := m.build(target, binary); err != nil {
		return err
	}
	files, err := m.files(binary)
	if err != nil {
		return err
	}
	name := fmt.Sprintf("usualpath-%s-%s-%s", m.version, system, processor)
	if err := m.archive(name, system == "windows", files); err != nil {
		return err
	}
	if system == "linux" {
		return m.packages(processor, binary)
	}
	return nil
}

// file is one in an archive.
type file struct {
	name, from string
	mode       int64
}

// files are those of an archive, sorted by name.
func (m *making) files(binary string) ([]file, error) {
	out := []file{{filepath.Base(binary), binary, 0o755}, {"README.md", filepath.Join(m.root, "README.md"), 0o644}, {"CHANGELOG.md", filepath.Join(m.root, "CHANGELOG.md"), 0o644}, {"THIRD-PARTY-LICENSES.txt", filepath.Join(m.work, "THIRD-PARTY-LICENSES.txt"), 0o644}}
	for _, dir := range []string{"man", "completions"} {
		list, err := filepath.Glob(filepath.Join(m.work, dir, "*"))
		if err != nil {
			return nil, err
		}
		for _, f := range list {
			out = append(out, file{dir + "/" + filepath.Base(f), f, 0o644})
		}
	}
	slices.SortFunc(out, func(a, b file) int { return strings.Compare(a.name, b.name) })
	return out, nil
}

// checksums are those of all files, as sha256sum writes and reads them.
func (m *making) checksums() error {
	list, err := filepath.Glob(filepath.Join(m.out, "*"))
	if err != nil {
		return err
	}
	var text bytes.Buffer
	for _, name := range list {
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(data)
		fmt.Fprintf(&text, "%s  %s\n", hex.EncodeToString(sum[:]), filepath.Base(name))
	}
	return os.WriteFile(filepath.Join(m.out, "SHA256SUMS"), text.Bytes(), 0o644)
}

// output is what a command prints, without the line's end.
func output(dir, name string, args ...string) (string, error) {
	c := exec.Command(name, args...)
	c.Dir = dir
	var said bytes.Buffer
	c.Stderr = &said
	out, err := c.Output()
	if err != nil {
		return "", fmt.Errorf("%s %s: %w: %s", name, strings.Join(args, " "), err, said.String())
	}
	return strings.TrimSpace(string(out)), nil
}
