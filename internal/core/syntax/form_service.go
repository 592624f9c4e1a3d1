package syntax

// Cookies is `cookies on`.
type Cookies struct{ On bool }

var _ = form(Form{Word: "cookies", In: InDefaults, Usage: "cookies on, or cookies off", Help: "Keeps cookies from step to step of a scenario (RFC 6265).",
	Example: `cookies on`}, func() Body { return &Cookies{} })

func (b *Cookies) read(p *parser) {
	t := p.needLine("on or off", "cookies on")
	text, _ := t.Plain()
	if b.On = text == "on"; !p.failed && text != "on" && text != "off" {
		p.fail(t.Span, "cookies are `on` or `off`", "write cookies on")
	}
}

func (b *Cookies) print(l *layout) {
	if b.On {
		l.write("on")
		return
	}
	l.write("off")
}

func (b *Cookies) walk(walker) {}

// EnvFile is `env file "FILE"`.
type EnvFile struct{ File *Node }

var _ = form(Form{Word: "env", In: InFile, Usage: `env file "FILE"`, Help: "Variables for `from env`, in project.upath: NAME=value lines of a file; the process environment wins, and the file may be missing.",
	Example: `env file ".env"`}, func() Body { return &EnvFile{} })

func (b *EnvFile) read(p *parser) {
	if p.needWord("file", `env file ".env"`) {
		b.File = p.plainString("a file name", `env file ".env"`)
	}
}

func (b *EnvFile) print(l *layout) {
	l.write("file")
	l.node(b.File)
}

func (b *EnvFile) walk(walker) {}

// Allow is `allow HOST`.
type Allow struct{ Host *Template }

var _ = form(Form{Word: "allow", In: InEnvironment, Usage: "allow HOST", Help: "Allows requests to a host that is not this machine.",
	Example: `allow host`}, func() Body { return &Allow{} })

func (b *Allow) read(p *parser)  { b.Host = p.needLine("a host", "allow bench.example") }
func (b *Allow) print(l *layout) { l.template(b.Host) }
func (b *Allow) walk(w walker)   { w.template(b.Host) }

// Start is the command of a service.
type Start struct{ Command *Node }

var _ = form(Form{Word: "start", In: InService, Usage: `start "COMMAND"`, Help: "The command that starts the service; `{port}` is a free port and `{folder}` a fresh folder.",
	Example: `start "command --listen 127.0.0.1:{port}"`}, func() Body { return &Start{} })

func (b *Start) read(p *parser) {
	b.Command = p.str("a command", `start "./service --listen 127.0.0.1:{port}"`)
}
func (b *Start) print(l *layout) { l.node(b.Command) }
func (b *Start) walk(w walker)   { w.node(b.Command) }

// Watch is a file or folder that a service is made of.
type Watch struct{ At *Node }

var _ = form(Form{Word: "watch", In: InService, Usage: `watch "FILE OR FOLDER"`, Help: "run --watch starts the service anew when something changes there.",
	Example: `watch "folder"`}, func() Body { return &Watch{} })

func (b *Watch) read(p *parser)  { b.At = p.str("a file or folder", `watch "src"`) }
func (b *Watch) print(l *layout) { l.node(b.At) }
func (b *Watch) walk(w walker)   { w.node(b.At) }

// Ready is `ready GET /path is 200 within 20s`.
type Ready struct {
	Method string
	Target *Template
	Status []StatusClass
	Within Duration
}

var _ = form(Form{Word: "ready", In: InService, Usage: "ready METHOD PATH is STATUS [within DURATION]", Help: "When the service is ready; without it, when its port is listening.",
	Example: `ready GET /path is 200 within 20s`}, func() Body { return &Ready{} })

func (b *Ready) read(p *parser) {
	form := "ready GET /healthz is 200 within 20s"
	p.spaces()
	if b.Method = p.httpToken(); b.Method == "" {
		p.failHere("expected a method, found "+p.found(), "write "+form)
		return
	}
	b.Target = p.needTarget(form)
	if p.failed || !p.needWord("is", form) {
		return
	}
	b.Status = p.statuses()
	if !p.failed && p.takeWord("within") {
		b.Within = p.duration(form)
	}
}

func (b *Ready) print(l *layout) {
	l.write(b.Method)
	l.template(b.Target)
	l.write("is", StatusText(b.Status))
	if b.Within.Raw != "" {
		l.write("within", b.Within.Raw)
	}
}

func (b *Ready) walk(w walker) {
	w.template(b.Target)
	w.statuses(b.Status)
}

// Stop is `stop TERM within 5s`.
type Stop struct {
	Signal string
	Within Duration
}

var _ = form(Form{Word: "stop", In: InService, Usage: "stop SIGNAL [within DURATION]", Help: "How the service is stopped, and how long it has before it is killed.",
	Example: `stop TERM within 5s`}, func() Body { return &Stop{} })

func (b *Stop) read(p *parser) {
	p.spaces()
	start := p.i
	b.Signal = p.word()
	switch b.Signal {
	case "TERM", "INT", "HUP", "QUIT", "KILL":
	default:
		p.i = start
		p.failHere("expected a signal, found "+p.found(), "write stop TERM within 5s; there are TERM, INT, HUP, QUIT and KILL")
		return
	}
	if p.takeWord("within") {
		b.Within = p.duration("stop TERM within 5s")
	}
}

func (b *Stop) print(l *layout) {
	l.write(b.Signal)
	if b.Within.Raw != "" {
		l.write("within", b.Within.Raw)
	}
}

func (b *Stop) walk(walker) {}
