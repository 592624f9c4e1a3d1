package runner

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/service"
)

var signals = map[string]syscall.Signal{"TERM": syscall.SIGTERM, "INT": syscall.SIGINT, "HUP": syscall.SIGHUP, "QUIT": syscall.SIGQUIT, "KILL": syscall.SIGKILL}

// startService starts the project's service, and gives what ends it and cleans
// up after it; that says where its words are kept, when they should be.
func startService(ctx context.Context, p *project.Project, v View, interrupted <-chan struct{}) (*service.Service, func(keep bool) string, error) {
	folder, err := os.MkdirTemp("", "usualpath-service-*")
	if err != nil {
		return nil, nil, broken(err.Error())
	}
	clean := func() { _ = os.RemoveAll(folder) }
	o, err := serviceOptions(p, folder)
	if err != nil {
		clean()
		return nil, nil, err
	}
	o.Interrupted = interrupted
	start := time.Now()
	waiting := func() {}
	if v.Waiting != nil {
		waiting = v.Waiting("starting the service")
	}
	s, err := service.Start(ctx, *o)
	waiting()
	if err != nil {
		clean()
		if errors.Is(err, service.ErrInterrupted) {
			return nil, nil, &Fault{Kind: Interrupted, Message: err.Error()}
		}
		return nil, nil, &Fault{Kind: Unreachable, Message: err.Error(), Hint: "the command is: " + o.Command}
	}
	if v.Ready != nil {
		v.Ready(s.Base(), time.Since(start))
	}
	return s, func(keep bool) string {
		s.Stop()
		kept := ""
		if keep {
			// Without its words the run has been told all the same.
			kept, _ = keepLog(o.Log)
		}
		clean()
		return kept
	}, nil
}

// keepLog copies the service's log to where it outlives the run.
func keepLog(name string) (string, error) {
	from, err := source.Open(name)
	if err != nil {
		return "", err
	}
	defer from.Close()
	to, err := os.CreateTemp("", "service-*.log")
	if err != nil {
		return "", err
	}
	_, err = io.Copy(to, from)
	return to.Name(), errors.Join(err, to.Close())
}

func serviceOptions(p *project.Project, folder string) (*service.Options, error) {
	port, err := service.FreePort()
	if err != nil {
		return nil, &Fault{Kind: Unreachable, Message: "no port is free: " + err.Error()}
	}
	data := filepath.Join(folder, "data")
	if err := os.Mkdir(data, 0o755); err != nil {
		return nil, broken(err.Error())
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
		o.Command, err = names.Text(b.Command.Template)
	case *syntax.Variable:
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
