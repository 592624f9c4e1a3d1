package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/service"
)

var signals = map[string]syscall.Signal{"TERM": syscall.SIGTERM, "INT": syscall.SIGINT, "HUP": syscall.SIGHUP, "QUIT": syscall.SIGQUIT, "KILL": syscall.SIGKILL}

// startService starts the project's service, and gives what ends it and cleans
// up after it.
func (a *app) startService(ctx context.Context, p *project.Project, quiet bool) (*service.Service, func(failed bool), error) {
	folder, err := os.MkdirTemp("", "usualpath-service-*")
	if err != nil {
		return nil, nil, &exit{code: exitBroken, message: err.Error()}
	}
	clean := func() { _ = os.RemoveAll(folder) }
	o, err := serviceOptions(p, folder)
	if err != nil {
		clean()
		return nil, nil, err
	}
	start := time.Now()
	waiting := a.waiting("starting the service")
	s, err := service.Start(ctx, *o)
	waiting()
	if err != nil {
		clean()
		return nil, nil, &exit{code: exitUnreachable, message: err.Error(), hint: "the command is: " + o.Command}
	}
	if !quiet {
		fmt.Fprintf(a.out, "the service is ready at %s after %s\n\n", s.Base(), expect.Took(time.Since(start)))
	}
	return s, func(failed bool) {
		s.Stop()
		if failed && !quiet {
			if kept, err := keepLog(o.Log); err == nil {
				fmt.Fprintf(a.out, "what the service said is in %s\n", kept)
			}
		}
		clean()
	}, nil
}

// keepLog copies the service's log to where it outlives the run.
func keepLog(name string) (string, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return "", err
	}
	to, err := os.CreateTemp("", "service-*.log")
	if err != nil {
		return "", err
	}
	_, err = to.Write(data)
	return to.Name(), errors.Join(err, to.Close())
}

// waiting shows how long something takes already, on a terminal, until the
// function it gives is called.
func (a *app) waiting(what string) func() {
	tty, _ := terminal(a.out)
	if !tty {
		return func() {}
	}
	start := time.Now()
	end, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(100 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-end:
				fmt.Fprint(a.out, "\r\x1b[K")
				return
			case <-tick.C:
				fmt.Fprintf(a.out, "\r%s … %.1f s", what, time.Since(start).Seconds())
			}
		}
	}()
	return func() {
		close(end)
		<-ended
	}
}

func serviceOptions(p *project.Project, folder string) (*service.Options, error) {
	port, err := service.FreePort()
	if err != nil {
		return nil, &exit{code: exitUnreachable, message: "no port is free: " + err.Error()}
	}
	data := filepath.Join(folder, "data")
	if err := os.Mkdir(data, 0o755); err != nil {
		return nil, &exit{code: exitBroken, message: err.Error()}
	}
	names := scope.New(&scope.World{Rand: scope.Seeded(1, "service"), Now: time.Now})
	names.Bind("port", value.NewInt(int64(port)))
	names.Bind("folder", value.NewString(data))
	address := "127.0.0.1:" + strconv.Itoa(port)
	o := &service.Options{Dir: p.Root, Base: "http://" + address, Log: service.LogName(folder), Ready: service.Listens(address),
		Within: 20 * time.Second, Grace: 5 * time.Second, Signal: syscall.SIGTERM}
	for _, st := range p.Service().Children {
		if err := serviceLine(o, st, names); err != nil {
			return nil, usage(fmt.Sprintf("%s: %s: %s", p.Config.Source.Name, st.Word, err), "")
		}
	}
	if o.Command == "" {
		return nil, usage("the service has no command to start it", `write start "./service --listen 127.0.0.1:{port}" below `+"`service`")
	}
	return o, nil
}

func serviceLine(o *service.Options, st *syntax.Statement, names *scope.Scope) error {
	var err error
	switch b := st.Body.(type) {
	case *syntax.Start:
		if st.Word == "start" {
			o.Command, err = names.Text(b.Command.Template)
		}
	case *syntax.Pair:
		var n, v string
		if n, err = names.Text(b.Name); err == nil {
			v, err = names.Text(b.Value)
		}
		o.Env = append(o.Env, n+"="+v)
	case *syntax.Ready:
		var target string
		target, err = names.Target(b.Target)
		o.Ready = service.Answers(b.Method, o.Base+target, func(status int) bool {
			ok, e := expect.StatusHolds(b.Status, status, names)
			return e == nil && ok
		})
		if b.Within.D > 0 {
			o.Within = b.Within.D
		}
	case *syntax.Stop:
		o.Signal = signals[b.Signal]
		if b.Within.D > 0 {
			o.Grace = b.Within.D
		}
	}
	return err
}
