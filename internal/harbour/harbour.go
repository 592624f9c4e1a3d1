// Package harbour is the service that ships with the tool: the harbour office
// of Gull Point, made up. It has good HTTP manners, and can be told to have
// one fault or more. It knows nothing of the tool.
package harbour

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"
)

// Options say how a harbour is run.
type Options struct {
	// Listen is host and port; port 0 takes a free one. Empty means
	// 127.0.0.1:0.
	Listen string
	// Data is the folder of the store; empty means a temporary one that is
	// removed at the end.
	Data string
	// SeedData fills an empty store with boats and berths.
	SeedData bool
	// Faults are the names of what it does wrong.
	Faults []string
}

// Server is a running harbour.
type Server struct {
	// URL is where it answers, without a slash at the end.
	URL  string
	http *http.Server
	h    *harbour
	temp string
	done chan struct{}
}

type harbour struct {
	store *store
	// faults are those it has, in the order in which they were named.
	faults  []middleware
	keeping durability
}

// Start opens the store and listens. Close ends it.
func Start(o Options) (s *Server, err error) {
	if err := CheckFaults(o.Faults); err != nil {
		return nil, err
	}
	s = &Server{done: make(chan struct{}), h: &harbour{}}
	faults := map[string]bool{}
	for _, name := range o.Faults {
		faults[name] = true
		f, _ := fault(name)
		if f.middleware != nil {
			s.h.faults = append(s.h.faults, f.middleware)
		}
	}
	if o.Data == "" {
		if s.temp, err = os.MkdirTemp("", "gull-point-*"); err != nil {
			return nil, err
		}
		o.Data = s.temp
	} else if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for the data cannot be made: %w", err)
	}
	if s.h.store, err = s.h.keeping.open(o.Data, faults); err != nil {
		return nil, errors.Join(fmt.Errorf("the store in %s cannot be opened: %w", o.Data, err), s.drop())
	}
	if o.SeedData {
		if err := s.h.seed(); err != nil {
			return nil, errors.Join(err, s.h.store.close(), s.h.keeping.close(), s.drop())
		}
	}
	if o.Listen == "" {
		o.Listen = "127.0.0.1:0"
	}
	listener, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("cannot listen on %s: %w", o.Listen, err), s.h.store.close(), s.h.keeping.close(), s.drop())
	}
	s.URL = "http://" + listener.Addr().String()
	s.http = &http.Server{Handler: chain(s.h.faults...)(s.h, s.h.routes()), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: time.Minute}
	go func() {
		defer close(s.done)
		// Serve always ends with an error; that of a shutdown is nothing new.
		_ = s.http.Serve(listener)
	}()
	return s, nil
}

func (s *Server) drop() error {
	if s.temp == "" {
		return nil
	}
	return os.RemoveAll(s.temp)
}

// Close ends the service: requests in flight get a second.
func (s *Server) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	err := s.http.Shutdown(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		err = s.http.Close()
	}
	<-s.done
	return errors.Join(err, s.h.store.close(), s.h.keeping.close(), s.drop())
}

// Abort ends the service as a kill does: what it meant to do at its end is not
// done.
func (s *Server) Abort() error {
	err := s.http.Close()
	<-s.done
	s.h.keeping.home = ""
	return errors.Join(err, s.h.store.close(), s.h.keeping.close(), s.drop())
}

// resource is what a path does, by method. HEAD goes with GET, and OPTIONS is
// answered everywhere.
type resource map[string]http.HandlerFunc

func (r resource) allow() string {
	list := []string{"OPTIONS"}
	for m := range r {
		list = append(list, m)
		if m == http.MethodGet {
			list = append(list, http.MethodHead)
		}
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

func (h *harbour) routes() http.Handler {
	mux := http.NewServeMux()
	for path, res := range map[string]resource{
		"/boats/{id}/stays":        h.stays(),
		"/boats/{id}/stays/{stay}": h.stay(),
		"/berths":                  h.berths(),
		"/berths/{code}":           h.berth(),
		"/sessions":                h.sessions(),
		"/log":                     h.entries(),
		"/log/{id}":                h.entry(),
		"/healthz": {"GET": func(w http.ResponseWriter, r *http.Request) {
			show(w, r, http.StatusOK, map[string]string{"harbour": "Gull Point", "state": "open"})
		}},
	} {
		mux.HandleFunc(path, h.serve(res, "application/json"))
	}
	mux.HandleFunc("/boats", h.serve(alsoXML(h.boats()), boatTypes...))
	mux.HandleFunc("/boats/{id}", h.serve(alsoXML(h.boat()), boatTypes...))
	mux.HandleFunc("/tides", h.serve(h.tideList(), tideTypes...))
	mux.HandleFunc("/tides/{day}", h.serve(h.tide(), tideTypes...))
	mux.HandleFunc("/office", h.serve(h.office()))
	// A picture is served as what it is.
	mux.HandleFunc("/boats/{id}/photo", h.serve(h.photo()))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		// The router would redirect paths such as /boats//1; here they are unknown.
		if _, pattern := mux.Handler(r); pattern == "" || strings.Contains(r.URL.EscapedPath(), "//") || strings.Contains(r.URL.Path, "/..") || strings.Contains(r.URL.Path, "/./") {
			if r.Method == http.MethodOptions && r.URL.Path == "*" {
				w.WriteHeader(http.StatusNoContent)
				return
			}
			refuse(w, r, http.StatusNotFound, "there is nothing at this path")
			return
		}
		mux.ServeHTTP(w, r)
	})
}

func (h *harbour) serve(res resource, offers ...string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		method := r.Method
		if method == http.MethodHead {
			method = http.MethodGet
		}
		handle, ok := res[method]
		switch {
		case method == http.MethodOptions:
			w.Header().Set("Allow", res.allow())
			w.WriteHeader(http.StatusNoContent)
		case !ok:
			w.Header().Set("Allow", res.allow())
			refuse(w, r, http.StatusMethodNotAllowed, r.Method+" is not for this path")
		case len(offers) > 0 && preferred(r, offers...) == "":
			refuse(w, r, http.StatusNotAcceptable, "this is served as "+strings.Join(offers, ", "))
		default:
			handle(w, r)
		}
	}
}
