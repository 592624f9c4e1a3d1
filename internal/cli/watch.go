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

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// settle is how long files must be left alone before a run begins: editors
// write in several steps.
const settle = 150 * time.Millisecond

// watch runs again and again, each time a file of the project, or one that the
// service's `watch` lines name, has changed. What is concerned runs first.
func (a *app) watch(ctx context.Context, args []string, f *runFlags, run func(ctx context.Context, p *project.Project, list []*resource.Resource) error) error {
	ctx, stop := signal.NotifyContext(orBackground(ctx), stopSignals...)
	defer stop()
	changed := []string(nil)
	last := error(nil)
	for {
		order := args
		if len(changed) > 0 {
			order = append(slices.Clone(changed), args...)
			fmt.Fprintf(a.out, "\n%s changed at %s\n\n", strings.Join(shownPaths(changed), ", "), time.Now().Format("15:04:05"))
		}
		let, err := outside(f.let)
		if err != nil {
			return err
		}
		p, list := resource.Load(order, project.Options{Environment: environmentOf(f.env), Let: let})
		w, err := fsnotify.NewWatcher()
		if err != nil {
			return &exit{code: exitBroken, message: "files cannot be watched: " + err.Error()}
		}
		folders := watched(p, args)
		for _, dir := range folders {
			// A folder that has gone meanwhile has nothing to tell.
			_ = w.Add(dir)
		}
		last = run(ctx, p, list)
		var e *exit
		if ctx.Err() != nil || errors.As(last, &e) && e.code == exitInterrupted {
			return errors.Join(w.Close(), last)
		}
		if errors.As(last, &e) && e.message != "" {
			fmt.Fprintf(a.err, "usualpath: %s\n", e.message)
		}
		fmt.Fprintf(a.out, "\nwaiting for a change below %s; Ctrl+C ends it\n", strings.Join(shownPaths(folders[:1]), ", "))
		changed = nextChange(ctx, w, p)
		if err := w.Close(); err != nil {
			return &exit{code: exitBroken, message: err.Error()}
		}
		if ctx.Err() != nil {
			return last
		}
	}
}

func orBackground(ctx context.Context) context.Context {
	if ctx == nil {
		return context.Background()
	}
	return ctx
}

// watched are the folders of the project and of what the service is built of.
func watched(p *project.Project, args []string) []string {
	var out []string
	add := func(root string) {
		_ = filepath.WalkDir(root, func(at string, d fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return nil
			case d.IsDir() && at != root && strings.HasPrefix(d.Name(), "."):
				return filepath.SkipDir
			case d.IsDir() && !slices.Contains(out, at):
				out = append(out, at)
			}
			return nil
		})
	}
	root := p.Root
	if root == "" {
		root, _ = filepath.Abs(filepath.Dir(args[0]))
	}
	add(root)
	if st := p.Service(); st != nil {
		for _, c := range st.Children {
			if b, ok := c.Body.(*syntax.Watch); ok {
				name, _ := b.At.Template.Plain()
				at := filepath.Join(root, name)
				if info, err := os.Stat(at); err == nil && !info.IsDir() {
					at = filepath.Dir(at)
				}
				add(at)
			}
		}
	}
	return out
}

// nextChange waits for files to change and then to be left alone. It gives the
// scenario files that are concerned: those that changed, and those that use
// them.
func nextChange(ctx context.Context, w *fsnotify.Watcher, p *project.Project) []string {
	names := map[string]bool{}
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case e, ok := <-w.Events:
			base := filepath.Base(e.Name)
			if !ok {
				return nil
			}
			if e.Op == fsnotify.Chmod || strings.HasPrefix(base, ".") || strings.HasSuffix(base, "~") {
				continue
			}
			names[e.Name] = true
			timer.Reset(settle)
		case <-timer.C:
			if len(names) > 0 {
				return concerned(p, names)
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
