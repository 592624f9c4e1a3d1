// Package service starts, readies, restarts and stops a process under test.
// Whatever happens, its whole process group is gone at the end.
package service

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Options say what is started and how it is known to be ready.
type Options struct {
	// Command is run by the shell, in Dir; {port} and {folder} have their values.
	Command string
	Dir     string
	// Env are additional NAME=value pairs.
	Env []string
	// Base is where it answers.
	Base string
	// Log is the file that keeps its output.
	Log string
	// Ready is the request that tells, nil for none: then a listening port does.
	Ready func(ctx context.Context) bool
	// Within bounds the start, Grace the time between the signal and the kill.
	Within, Grace time.Duration
	Signal        syscall.Signal
	// Interrupted breaks a start off once it is closed; nil for never.
	Interrupted <-chan struct{}
}

// Service is a process that was started.
type Service struct {
	o    Options
	mu   sync.Mutex
	tree *tree
	// ended is closed when the process has; wanted is set when that was our wish.
	ended  chan struct{}
	wanted bool
	// hurry is closed when nothing is waited for any more.
	hurry <-chan struct{}
	// mark is in the environment of all that it starts.
	mark string
}

// stillThereError is the error of a service that answers although it was
// stopped: what was to be seen after a restart cannot be told.
type stillThereError struct{ Base string }

func (e *stillThereError) Error() string {
	return "the service was stopped, and " + e.Base + " still answers: a process of it has left its process group"
}

// CannotTell marks an error that is no finding about the service.
func (*stillThereError) CannotTell() bool { return true }

// refusing is how long a port may take to close behind a process.
const refusing = 2 * time.Second

// FreePort is a port that nothing listens on now.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// ErrInterrupted is the error of a start that was broken off.
var ErrInterrupted = errors.New("interrupted while the service was starting")

// Start starts the process and waits until it is ready. When it does not get
// ready the process is gone again, and the error holds its last words.
func Start(ctx context.Context, o Options) (*Service, error) {
	s := &Service{o: o, hurry: ctx.Done(), mark: fmt.Sprintf("USUALPATH_SERVICE=%d-%d", os.Getpid(), time.Now().UnixNano())}
	if err := s.start(ctx); err != nil {
		return nil, err
	}
	return s, nil
}

func (s *Service) start(ctx context.Context) error {
	log, err := os.OpenFile(s.o.Log, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := shell(s.o.Command)
	cmd.Dir, cmd.Env = s.o.Dir, append(append(os.Environ(), s.o.Env...), s.mark)
	cmd.Stdout, cmd.Stderr = log, log
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("the service cannot be started: %w", err)
	}
	held, err := grow(cmd)
	if err != nil {
		return errors.Join(err, cmd.Process.Kill(), cmd.Wait())
	}
	ended := make(chan struct{})
	s.mu.Lock()
	s.tree, s.ended, s.wanted = held, ended, false
	s.mu.Unlock()
	go func() {
		// How it ended is told by Dead.
		_ = cmd.Wait()
		close(ended)
	}()
	return s.wait(ctx, ended)
}

func (s *Service) wait(ctx context.Context, ended chan struct{}) error {
	ctx, cancel := context.WithTimeout(ctx, s.o.Within)
	defer cancel()
	go func() {
		select {
		case <-s.o.Interrupted:
			cancel()
		case <-ctx.Done():
		}
	}()
	tick := time.NewTicker(30 * time.Millisecond)
	defer tick.Stop()
	for {
		if s.o.Ready(ctx) {
			return nil
		}
		select {
		case <-ended:
			return errors.New("the service ended before it was ready; its last output:\n" + s.tail())
		case <-ctx.Done():
			s.Stop()
			select {
			case <-s.o.Interrupted:
				return ErrInterrupted
			default:
			}
			return fmt.Errorf("the service was not ready within %s; its last output:\n%s", s.o.Within, s.tail())
		case <-tick.C:
		}
	}
}

// Base is where the service answers.
func (s *Service) Base() string { return s.o.Base }

// Restart stops the process and starts it again, on the same port and folder;
// with kill it gets no warning.
func (s *Service) Restart(ctx context.Context, kill bool) error {
	if kill {
		s.end(syscall.SIGKILL, 0)
	} else {
		s.Stop()
	}
	// What answers now would pass for the service that was started anew.
	there := Listens(strings.TrimPrefix(s.o.Base, "http://"))
	for end := time.Now().Add(refusing); there(ctx); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			return &stillThereError{s.o.Base}
		}
	}
	return s.start(ctx)
}

// Stop ends the process group: the signal first, the kill when it is ignored.
func (s *Service) Stop() { s.end(s.o.Signal, s.o.Grace) }

func (s *Service) end(signal syscall.Signal, grace time.Duration) {
	s.mu.Lock()
	held, ended := s.tree, s.ended
	s.wanted = true
	s.mu.Unlock()
	if held == nil {
		return
	}
	held.signal(signal)
	if grace > 0 {
		timer := time.NewTimer(grace)
		select {
		case <-ended:
		case <-timer.C:
		case <-s.hurry:
		}
		timer.Stop()
	}
	held.kill()
	<-ended
	endStrays(s.mark)
}

// Dead tells that the process ended by itself, and its last words.
func (s *Service) Dead() (bool, string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	select {
	case <-s.ended:
		return !s.wanted, s.tail()
	default:
		return false, ""
	}
}

// tail is the end of the log.
func (s *Service) tail() string {
	data, err := os.ReadFile(s.o.Log)
	if err != nil || len(data) == 0 {
		return "(it said nothing)"
	}
	lines := strings.Split(strings.TrimRight(string(data), "\n"), "\n")
	return strings.Join(lines[max(0, len(lines)-12):], "\n")
}

// Answers makes a ready check of a URL and the statuses that mean ready.
func Answers(method, url string, fine func(status int) bool) func(ctx context.Context) bool {
	return func(ctx context.Context) bool {
		ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, method, url, nil)
		if err != nil {
			return false
		}
		t := &http.Transport{Proxy: nil, DisableKeepAlives: true}
		resp, err := t.RoundTrip(req)
		if err != nil {
			return false
		}
		_ = resp.Body.Close()
		return fine(resp.StatusCode)
	}
}

// Listens makes a ready check of a port.
func Listens(address string) func(ctx context.Context) bool {
	return func(ctx context.Context) bool {
		c, err := (&net.Dialer{Timeout: time.Second}).DialContext(ctx, "tcp", address)
		if err != nil {
			return false
		}
		return c.Close() == nil
	}
}

// LogName is where the log of a service goes, in its temporary folder.
func LogName(folder string) string { return filepath.Join(folder, "service.log") }
