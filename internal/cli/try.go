package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/late"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

type tryFlags struct {
	let                                []string
	base, json, text, timeout, maxBody string
	header, query, allow               []string
	follow, repeat                     int
	verbose                            bool
	env, into, step, scenario          string
	without                            []string
	fields, parts, attached            []string
	bodyFile, media, signIn            string
	dryRun, raw                        bool
	out, pick                          string
	har                                string
	entry                              int
}

func (a *app) try() *cobra.Command {
	f := &tryFlags{}
	c := &cobra.Command{
		Use: "try METHOD URL", Short: "Send one request and look at the answer",
		Long: `Sends one request and shows the answer: status, time, size, the headers worth
seeing, the body set out, and below it what is noteworthy about it. The exit
code is 0 when an answer came, whatever it says, and 3 when none did.

A project.upath in this folder or above gives base URL, defaults, environments,
secrets and names: {name} stands for a value. With --into what was sent and seen
becomes a step of a file; ids that earlier ones kept become their names.`,
		Example: `  usualpath try GET http://127.0.0.1:4710/boats
  usualpath try POST /boats --base http://127.0.0.1:4710 --json '{"name": "Curlew", "length_m": 8.2}'
  usualpath try GET /boats --base http://127.0.0.1:4710 --query flag=NL --without 'query flag'
  usualpath try GET /boats/1 --base http://127.0.0.1:4710 --repeat 20
  usualpath try GET /boats --base http://127.0.0.1:4710 --pick '$[*].name'
  usualpath try POST /boats --base http://127.0.0.1:4710 --json '{"name": "Ruff", "length_m": 8}' --into boats.upath --step register
  usualpath try --from-har recorded.har --entry 3 --base http://127.0.0.1:4710`,
		RunE: func(c *cobra.Command, args []string) error {
			args, err := f.recorded(a, args)
			if args == nil {
				return err
			}
			if err := f.check(args); err != nil {
				return err
			}
			t, err := f.try(args)
			if err != nil {
				return err
			}
			return a.tryOnce(c.Context(), f, t)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.base, "base", "", "the base URL that a path is relative to")
	fl.StringVar(&f.json, "json", "", "a JSON body; it is checked before it is sent")
	fl.StringVar(&f.text, "text", "", "a plain text body")
	fl.StringVar(&f.bodyFile, "body-file", "", "a file that is the body; - is standard input")
	fl.StringVar(&f.media, "media", "", "the type of the body (default: by its kind, or the file's ending)")
	fl.StringArrayVar(&f.fields, "field", nil, "a field name=value of a URL-encoded form (repeatable)")
	fl.StringArrayVar(&f.parts, "part", nil, "a part name=value of a multipart body (repeatable)")
	fl.StringArrayVar(&f.attached, "part-file", nil, "a part name=FILE of a multipart body (repeatable)")
	fl.StringVar(&f.signIn, "sign-in", "", "send basic (SERVICE_USER, SERVICE_PASSWORD) or bearer (TOKEN) credentials, of the environment or typed")
	fl.StringArrayVar(&f.header, "header", nil, "a header 'Name: value' (repeatable)")
	fl.StringArrayVar(&f.query, "query", nil, "a query parameter name=value (repeatable)")
	fl.StringArrayVar(&f.allow, "allow-host", nil, "another host, besides this machine, that requests may go to (repeatable)")
	fl.StringVar(&f.timeout, "timeout", "10s", "how long the exchange may take: 200ms, 5s, 2m")
	fl.StringVar(&f.maxBody, "max-body", "16MiB", "the longest answer body that is accepted")
	fl.IntVar(&f.follow, "follow", 0, "how many redirects are followed")
	fl.StringVar(&f.env, "env", "", "the environment of project.upath to use (else USUALPATH_ENV)")
	fl.StringArrayVar(&f.let, "let", nil, "bind a name from outside, NAME=VALUE, over what the files say (repeatable)")
	fl.IntVar(&f.repeat, "repeat", 1, "send it this many times, and show what differs between the answers")
	fl.StringArrayVar(&f.without, "without", nil, "send it once more without 'header Name' or 'query name', and show what differs (repeatable)")
	fl.StringVar(&f.into, "into", "", "file it as a step in this scenario file, with what a careful tester would expect")
	fl.StringVar(&f.har, "from-har", "", "send what this recording (HAR) has sent, in place of METHOD and URL")
	fl.IntVar(&f.entry, "entry", 0, "with --from-har: the number of the request; without it all are listed")
	fl.StringVar(&f.step, "step", "", "with --into: the title of the step")
	fl.StringVar(&f.scenario, "scenario", "", "with --into: the title of the scenario (default: the last one in the file)")
	fl.BoolVar(&f.dryRun, "dry-run", false, "show the request as it would go out, and send nothing")
	fl.StringVar(&f.pick, "pick", "", "print only what this JSONPath selects, one value a line (exit code 1 for none)")
	fl.BoolVar(&f.raw, "raw", false, "print only the body, as it came")
	fl.StringVar(&f.out, "out", "", "keep the body in this file, as it came")
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "show the request as it went out, all headers, and where the time went")
	for _, one := range []string{"field", "part", "part-file"} {
		for _, body := range []string{"json", "text", "body-file"} {
			c.MarkFlagsMutuallyExclusive(one, body)
		}
	}
	c.MarkFlagsMutuallyExclusive("json", "text", "body-file")
	c.MarkFlagsMutuallyExclusive("field", "part")
	c.MarkFlagsMutuallyExclusive("field", "part-file")
	c.MarkFlagsMutuallyExclusive("pick", "raw", "dry-run")
	c.Flags().SortFlags = false
	completeProject(c)
	return c
}

// check finds what is wrong with a request as it was typed.
func (f *tryFlags) check(args []string) error {
	form := "usualpath try GET http://127.0.0.1:8080/path"
	switch {
	case len(args) == 0:
		return usage("a method and a URL are needed", form)
	case len(args) == 1 && (strings.Contains(args[0], "/") || strings.Contains(args[0], "localhost")):
		return usage("a method is needed before the URL", "usualpath try GET "+args[0])
	case len(args) == 1:
		return usage("a URL is needed after the method", form)
	case len(args) > 2:
		return usage(fmt.Sprintf("too many arguments: %s", strings.Join(args[2:], " ")), "quote a body that contains spaces: --json '{ … }'")
	}
	if upper := strings.ToUpper(args[0]); upper != args[0] {
		if slices.Contains(syntax.Methods, upper) {
			return usage("methods are case-sensitive (RFC 9110 §9.1)", "write "+upper)
		}
	}
	if err := f.checkURL(args[1]); err != nil {
		return err
	}
	for _, h := range f.header {
		name, _, ok := strings.Cut(h, ":")
		if !ok || strings.TrimSpace(name) == "" {
			return usage(fmt.Sprintf("--header %q is not a header", h), "write --header 'Name: value'")
		}
	}
	if f.follow < 0 || f.follow > 100 {
		return usage("--follow takes a number from 0 to 100", "")
	}
	if f.repeat < 1 || f.repeat > 10_000 {
		return usage("--repeat takes a number from 1 to 10000", "")
	}
	if (f.step != "" || f.scenario != "") && f.into == "" {
		return usage("--step and --scenario say where in a file: --into names it", "write --into boats.upath")
	}
	for option, list := range map[string][]string{"field": f.fields, "part": f.parts, "part-file": f.attached} {
		for _, pair := range list {
			if name, _, ok := strings.Cut(pair, "="); !ok || !plainName().MatchString(name) {
				return usage(fmt.Sprintf("--%s %q names no value", option, pair), "write --"+option+" name=value")
			}
		}
	}
	if f.media != "" && (!strings.Contains(f.media, "/") || f.json+f.text+f.bodyFile == "") {
		return usage("--media is the type of --json, --text or --body-file, such as application/json", "")
	}
	if f.signIn != "" && f.signIn != "basic" && f.signIn != "bearer" {
		return usage("--sign-in takes basic or bearer, not "+f.signIn, "a key in a header of its own is written --header 'Name: value'")
	}
	if f.pick != "" {
		if _, err := jsonpath.Parse(f.pick); err != nil {
			return usage("--pick "+f.pick+": "+err.Error(), "write --pick '$.name', in single quotes")
		}
	}
	if f.json != "" {
		// {name} is not JSON, and is allowed there all the same.
		if _, err := value.Decode(f.json, value.Limits{}); err != nil && !namesInside().MatchString(f.json) {
			return badJSON(f.json, err)
		}
	}
	return nil
}

// plainName is a field's name that the language takes as it is.
var plainName = late.Regexp(`^[^\s"={}#]+$`)

var namesInside = late.Regexp(`\{[A-Za-z_][A-Za-z0-9_.\[\]]*\}`)

func badJSON(text string, err error) error {
	e := err.(*value.Error)
	f := source.NewFile("--json", text)
	at := f.Position(e.Offset)
	hint := ""
	switch e.Name {
	case "single quotes":
		hint = `strings in JSON are written in double quotes; in a shell: --json '{"name": "value"}'`
	case "bad member name", "unknown word":
		hint = `did the shell take the double quotes away? put the whole body into single quotes: --json '{"name": "value"}'`
	default:
		hint = "mend the body; to send it as it is, use --text with --header 'Content-Type: application/json'"
	}
	return usage(fmt.Sprintf("--json is not JSON: %s (%s)\n  %s\n  %s^", e.Name, e.Detail, f.Line(at.Line), strings.Repeat(" ", at.Column-1)), hint)
}

// checkURL wants a path or URL that can be sent to.
func (f *tryFlags) checkURL(target string) error {
	if err := checkBase(f.base); err != nil {
		return err
	}
	switch {
	case strings.HasPrefix(target, "http://"), strings.HasPrefix(target, "https://"), strings.HasPrefix(target, "/"), strings.HasPrefix(target, "{"):
	case strings.Contains(target, "://"):
		scheme, _, _ := strings.Cut(target, "://")
		return usage(fmt.Sprintf("unknown scheme %q in %s", scheme, target), "use http:// or https://")
	case f.base != "":
		return usage(target+" is neither a path nor a URL", "write /"+target)
	default:
		return usage(target+" has no scheme", "write http://"+target)
	}
	if strings.ContainsAny(target, " \t\n") {
		return usage("there is a space in the URL", "percent-encode it as %20")
	}
	return nil
}
