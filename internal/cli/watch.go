package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// settle is how long files must be left alone before a run begins: editors
// write in several steps.
const settle = 150 * time.Millisecond

// watch runs again and again, each time a file that was read, or one that the
// service's `watch` lines name, has changed, or a key asks for it. What is
// concerned runs first.
func (a *app) watch(ctx context.Context, args []string, f *runFlags, run func(ctx context.Context, p *project.Project, list []*resource.Resource) error) error {
	ctx, stop := signal.NotifyContext(orBackground(ctx), stopSignals...)
	defer stop()
	let, err := outside(f.let)
	if err != nil {
		return err
	}
	files, lines := atLines(args)
	f.lines = lines
	keys := a.newKeys()
	var changed []string
	for {
		order := files
		if len(changed) > 0 {
			order = append(slices.Clone(changed), files...)
			fmt.Fprintf(a.out, "\n%s changed at %s\n\n", strings.Join(shownPaths(changed), ", "), time.Now().Format("15:04:05"))
		}
		p, list := resource.Load(order, project.Options{Environment: environmentOf(f.env), Let: let, Thorough: f.thorough})
		w, err := fsnotify.NewWatcher()
		if err != nil {
			return &exit{code: exitBroken, message: "files cannot be watched: " + err.Error()}
		}
		for _, dir := range watched(p, files) {
			// A folder that has gone meanwhile has nothing to tell.
			_ = w.Add(dir)
		}
		// An interrupt ends the run as it ends any: what it made is removed.
		last := run(context.WithoutCancel(ctx), p, list)
		var e *exit
		if ctx.Err() != nil || errors.As(last, &e) && e.code == exitInterrupted {
			return errors.Join(w.Close(), last)
		}
		if errors.As(last, &e) && e.message != "" {
			fmt.Fprintf(a.err, "usualpath: %s\n", e.message)
		}
		fmt.Fprintf(a.out, "\nwaiting for a change of %s; %s\n", event.Count(len(p.Read()), "file"), keys.help())
		var key byte
		changed, key = keys.while(func(pressed <-chan byte) ([]string, byte) { return nextChange(ctx, w, p, files, pressed) })
		if err := w.Close(); err != nil {
			return &exit{code: exitBroken, message: err.Error()}
		}
		switch key {
		case 'q', interruptKey:
			return last
		case 'f':
			f.failed = true
		case 'a':
			f.failed = false
		}
		if ctx.Err() != nil {
			return last
		}
		if key != 0 {
			fmt.Fprintln(a.out)
		}
	}
}

func orBackground(ctx context.Context) context.Context {
	if ctx == nil {
		return context.Background()
	}
	return ctx
}

// watched are the folders of the files that were read, of those that were named,
// and of what the service is built of.
func watched(p *project.Project, args []string) []string {
	var out []string
	one := func(dir string) {
		if !slices.Contains(out, dir) {
			out = append(out, dir)
		}
	}
	all := func(root string) {
		_ = filepath.WalkDir(root, func(at string, d fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return nil
			case d.IsDir() && at != root && strings.HasPrefix(d.Name(), "."):
				return filepath.SkipDir
			case d.IsDir():
				one(at)
			}
			return nil
		})
	}
	for _, name := range p.Read() {
		one(filepath.Dir(name))
	}
	for _, arg := range args {
		if info, err := os.Stat(arg); err == nil && info.IsDir() {
			if abs, err := filepath.Abs(arg); err == nil {
				all(abs)
			}
		}
	}
	for _, at := range serviceFiles(p) {
		if info, err := os.Stat(at); err == nil && !info.IsDir() {
			one(filepath.Dir(at))
		} else {
			all(at)
		}
	}
	return out
}

// serviceFiles are what the `watch` lines of the service name.
func serviceFiles(p *project.Project) []string {
	st := p.Service()
	if st == nil {
		return nil
	}
	var out []string
	for _, c := range st.Children {
		if b, ok := c.Body.(*syntax.Watch); ok {
			name, _ := b.At.Template.Plain()
			out = append(out, filepath.Join(p.Root, name))
		}
	}
	return out
}

// matters tells whether a file that has changed is one that a run goes by: one
// that was read, a scenario file where a folder was named, or a part of the
// service. What a run writes is none of these.
func matters(p *project.Project, args []string, name string) bool {
	if slices.Contains(p.Read(), name) {
		return true
	}
	below := func(root string) bool {
		rel, err := filepath.Rel(root, name)
		return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
	}
	if slices.ContainsFunc(serviceFiles(p), below) {
		return true
	}
	return filepath.Ext(name) == project.Extension && slices.ContainsFunc(args, func(arg string) bool {
		abs, err := filepath.Abs(arg)
		return err == nil && below(abs)
	})
}

// nextChange waits for files to change and then to be left alone, or for a key. It
// gives the scenario files that are concerned: those that changed, and those that
// use them.
func nextChange(ctx context.Context, w *fsnotify.Watcher, p *project.Project, args []string, pressed <-chan byte) ([]string, byte) {
	names := map[string]bool{}
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil, 0
		case key := <-pressed:
			return nil, key
		case e, ok := <-w.Events:
			base := filepath.Base(e.Name)
			if !ok {
				return nil, 0
			}
			if e.Op == fsnotify.Chmod || strings.HasPrefix(base, ".") || strings.HasSuffix(base, "~") || !matters(p, args, e.Name) {
				continue
			}
			names[e.Name] = true
			timer.Reset(settle)
		case <-timer.C:
			if len(names) > 0 {
				return concerned(p, names), 0
			}
			timer.Reset(time.Hour)
		case <-w.Errors:
			// What was missed shows with the next change.
		}
	}
}

func concerned(p *project.Project, names map[string]bool) []string {
	var out []string
	for _, f := range p.Files {
		hit := names[f.Path]
		for _, u := range f.Uses {
			hit = hit || names[u.Path]
		}
		if hit && !slices.Contains(out, f.Source.Name) {
			out = append(out, f.Source.Name)
		}
	}
	if len(out) > 0 {
		return out
	}
	// Something else: rows, bodies, the project's file, the service.
	for n := range names {
		if _, err := os.Stat(n); err == nil && filepath.Ext(n) == project.Extension {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return out
}

func shownPaths(list []string) []string {
	var out []string
	here, err := os.Getwd()
	for _, p := range list {
		if rel, e := filepath.Rel(here, p); err == nil && e == nil && !strings.HasPrefix(rel, "..") {
			p = rel
		}
		out = append(out, p)
	}
	return out
}
