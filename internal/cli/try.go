package cli

import (
	"context"
	"fmt"
	"net/url"
	"os/signal"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
	"usualpath/internal/report"
)

type tryFlags struct {
	base, json, text, timeout, maxBody string
	header, query, allow               []string
	follow                             int
	verbose                            bool
}

func (a *app) try() *cobra.Command {
	f := &tryFlags{}
	c := &cobra.Command{
		Use: "try METHOD URL", Short: "Send one request and look at the answer",
		Long: `Sends one request and shows the answer: status, time, size, the headers worth
seeing, the body set out, and below it what is noteworthy about it. The exit
code is 0 when an answer came, whatever it says, and 3 when none did.`,
		Example: `  usualpath try GET http://127.0.0.1:4710/boats
  usualpath try POST /boats --base http://127.0.0.1:4710 --json '{"name": "Curlew", "length_m": 8.2}'
  usualpath try GET /boats --base http://127.0.0.1:4710 --query flag=NL --header 'Accept: application/json' -v`,
		RunE: func(c *cobra.Command, args []string) error {
			r, err := f.request(args)
			if err != nil {
				return err
			}
			maxBody, err := syntax.ParseSize(f.maxBody)
			if err != nil {
				return usage("--max-body "+f.maxBody+" is no size", "write --max-body 10KiB or 64MiB")
			}
			client := exchange.NewClient(exchange.Options{Allow: f.allow, MaxBody: maxBody, Agent: agent()})
			defer client.Close()
			ctx, stop := signal.NotifyContext(context.Background(), stopSignals...)
			defer stop()
			x := client.Do(ctx, r)
			report.Answer(a.out, x, a.style(a.out), f.verbose)
			switch {
			case x.Failure == nil:
				return nil
			case x.Failure.Kind == exchange.Interrupted:
				return &exit{code: exitInterrupted}
			case x.Failure.Kind == exchange.BadRequest || x.Failure.Kind == exchange.HostRefused:
				return &exit{code: exitUsage}
			}
			return &exit{code: exitUnreachable}
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.base, "base", "", "the base URL that a path is relative to")
	fl.StringVar(&f.json, "json", "", "a JSON body; it is checked before it is sent")
	fl.StringVar(&f.text, "text", "", "a plain text body")
	fl.StringArrayVar(&f.header, "header", nil, "a header 'Name: value' (repeatable)")
	fl.StringArrayVar(&f.query, "query", nil, "a query parameter name=value (repeatable)")
	fl.StringArrayVar(&f.allow, "allow-host", nil, "a host beside this machine that may be spoken to (repeatable)")
	fl.StringVar(&f.timeout, "timeout", "10s", "how long the exchange may take: 200ms, 5s, 2m")
	fl.StringVar(&f.maxBody, "max-body", "16MiB", "the longest answer that is taken")
	fl.IntVar(&f.follow, "follow", 0, "how many redirects are followed")
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "show all headers, the request's too, and where the time went")
	c.MarkFlagsMutuallyExclusive("json", "text")
	c.Flags().SortFlags = false
	return c
}

var tryMethods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE"}

func (f *tryFlags) request(args []string) (*exchange.Request, error) {
	form := "usualpath try GET http://127.0.0.1:8080/path"
	switch {
	case len(args) == 0:
		return nil, usage("a method and a URL are needed", form)
	case len(args) == 1 && (strings.Contains(args[0], "/") || strings.Contains(args[0], "localhost")):
		return nil, usage("a method is needed before the URL", "usualpath try GET "+args[0])
	case len(args) == 1:
		return nil, usage("a URL is needed after the method", form)
	case len(args) > 2:
		return nil, usage(fmt.Sprintf("too many arguments: %s", strings.Join(args[2:], " ")), "put a body with blanks into quotes: --json '{ … }'")
	}
	r := &exchange.Request{Method: args[0], Follow: f.follow}
	if upper := strings.ToUpper(r.Method); upper != r.Method {
		for _, m := range tryMethods {
			if m == upper {
				return nil, usage("methods are case-sensitive (RFC 9110 §9.1)", "write "+upper)
			}
		}
	}
	var err error
	if r.URL, err = f.url(args[1]); err != nil {
		return nil, err
	}
	if r.Timeout, err = syntax.ParseDuration(f.timeout); err != nil || r.Timeout <= 0 {
		return nil, usage("--timeout "+f.timeout+" is no duration", "write --timeout 200ms, 5s or 2m")
	}
	typed := false
	for _, h := range f.header {
		name, v, ok := strings.Cut(h, ":")
		if !ok || strings.TrimSpace(name) == "" {
			return nil, usage(fmt.Sprintf("--header %q is no header", h), "write --header 'Name: value'")
		}
		typed = typed || strings.EqualFold(strings.TrimSpace(name), "Content-Type")
		r.Header = append(r.Header, exchange.Field{Name: strings.TrimSpace(name), Value: strings.TrimSpace(v)})
	}
	media := ""
	switch {
	case f.json != "":
		v, err := value.Decode(f.json, value.Limits{})
		if err != nil {
			return nil, badJSON(f.json, err)
		}
		r.Body, media = []byte(v.JSON()), "application/json"
	case f.text != "":
		r.Body, media = []byte(f.text), "text/plain; charset=utf-8"
	}
	if media != "" && !typed {
		r.Header = append(r.Header, exchange.Field{Name: "Content-Type", Value: media})
	}
	return r, nil
}

func badJSON(text string, err error) error {
	e := err.(*value.Error)
	f := source.NewFile("--json", text)
	at := f.Position(e.Offset)
	hint := ""
	switch e.Name {
	case "single quotes":
		hint = `strings in JSON stand in double quotes; in a shell: --json '{"name": "value"}'`
	case "bad member name", "unknown word":
		hint = `did the shell take the double quotes away? put the whole body into single quotes: --json '{"name": "value"}'`
	default:
		hint = "mend the body; to send it as it is, use --text with --header 'Content-Type: application/json'"
	}
	return usage(fmt.Sprintf("--json is no JSON: %s (%s)\n  %s\n  %s^", e.Name, e.Detail, f.Line(at.Line), strings.Repeat(" ", at.Column-1)), hint)
}

// url puts base, target and query parameters together.
func (f *tryFlags) url(target string) (string, error) {
	if err := checkBase(f.base); err != nil {
		return "", err
	}
	full := target
	switch {
	case strings.HasPrefix(target, "http://"), strings.HasPrefix(target, "https://"):
	case strings.Contains(target, "://"):
		scheme, _, _ := strings.Cut(target, "://")
		return "", usage(fmt.Sprintf("unknown scheme %q in %s", scheme, target), "http:// and https:// are spoken")
	case strings.HasPrefix(target, "/"):
		if f.base == "" {
			return "", usage(target+" is a path, and there is no base URL to go with it", "add --base http://127.0.0.1:8080, or write the whole URL")
		}
		full = strings.TrimSuffix(f.base, "/") + target
	case f.base != "":
		return "", usage(target+" is neither a path nor a URL", "write /"+target)
	default:
		return "", usage(target+" has no scheme", "write http://"+target)
	}
	if _, err := url.Parse(full); err != nil {
		return "", usage("the URL is not valid: "+err.Error(), "characters outside the ordinary are percent-encoded")
	}
	var pairs []string
	for _, q := range f.query {
		n, v, valued := strings.Cut(q, "=")
		one := escapeQuery(n)
		if valued {
			one += "=" + escapeQuery(v)
		}
		pairs = append(pairs, one)
	}
	if len(pairs) > 0 {
		glue := "?"
		if strings.Contains(full, "?") {
			glue = "&"
		}
		full += glue + strings.Join(pairs, "&")
	}
	return full, nil
}

func escapeQuery(s string) string { return strings.ReplaceAll(url.QueryEscape(s), "+", "%20") }
