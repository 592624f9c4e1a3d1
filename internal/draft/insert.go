package draft

import (
	"fmt"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Inserted is a file's text with a step more in it.
type Inserted struct {
	Text string
	// Line is where the new lines begin, counted from 1; Added are they.
	Line  int
	Added []string
}

// Insert files a step in a scenario of a file, at its end; nothing else of the
// text moves. Without a scenario of that title one is added. An empty title
// means the file's last scenario. base is written into a file that is new.
func Insert(name, text, scenario, base string, lines []string) (*Inserted, error) {
	f, diags := syntax.Parse(source.NewFile(name, text))
	if diags.Errors() > 0 {
		d := diags[0]
		return nil, fmt.Errorf("%s:%d: %s; mend the file first", name, f.Source.Position(d.Span.Start).Line, d.Message)
	}
	var into *syntax.Statement
	for _, st := range f.Statements {
		t, ok := st.Body.(*syntax.Scenario)
		if !ok || t.Title == nil {
			continue
		}
		if scenario == "" || t.Title.Template.Raw == scenario {
			into = st
		}
	}
	var step []string
	for _, l := range lines {
		step = append(step, "  "+inLine(l))
	}
	var added []string
	at := len(text)
	switch {
	case into != nil:
		at = endOfLine(text, lastEnd(into))
		added = append([]string{""}, step...)
	default:
		if scenario == "" {
			scenario = "tried by hand"
		}
		switch {
		case strings.TrimSpace(text) == "":
			at, text = 0, ""
			if base != "" {
				added = append(added, "base "+base, "")
			}
		case !strings.HasSuffix(text, "\n"):
			text += "\n"
			at = len(text)
			added = append(added, "")
		default:
			added = append(added, "")
		}
		added = append(append(added, "scenario "+syntax.Quoted(scenario)), step...)
	}
	out := text[:at]
	if out != "" && !strings.HasSuffix(out, "\n") {
		out += "\n"
	}
	first := strings.Count(out, "\n") + 1
	piece := laid(added)
	out += piece + text[at:]
	check, diags := syntax.Parse(source.NewFile(name, out))
	if diags.Errors() > 0 {
		d := diags[0]
		return nil, fmt.Errorf("the drafted step cannot be read (line %d: %s)", check.Source.Position(d.Span.Start).Line, d.Message)
	}
	return &Inserted{Text: out, Line: first, Added: strings.Split(strings.TrimSuffix(piece, "\n"), "\n")}, nil
}

// Afterwards adds a step to those that run after the scenario into which the
// others went, before those that are there: what was made last goes first.
func (in *Inserted) Afterwards(name string, lines []string) error {
	if len(lines) == 0 {
		return nil
	}
	f, diags := syntax.Parse(source.NewFile(name, in.Text))
	if diags.Errors() > 0 {
		return nil
	}
	var into, after *syntax.Statement
	last := in.Line + len(in.Added) - 1
	for _, st := range f.Statements {
		if syntax.Is[*syntax.Scenario](st) {
			if f.Source.Position(st.Span.Start).Line > last {
				break
			}
			into, after = st, nil
		} else if syntax.Is[*syntax.Afterwards](st) && into != nil && after == nil {
			after = st
		}
	}
	if into == nil {
		return nil
	}
	var piece []string
	at := 0
	if after != nil {
		at = endOfLine(in.Text, after.Span.End)
	} else {
		at = endOfLine(in.Text, lastEnd(into))
		piece = append(piece, "", "afterwards")
	}
	for _, l := range lines {
		piece = append(piece, "  "+inLine(l))
	}
	text := strings.Join(piece, "\n") + "\n"
	if after != nil {
		text += "\n"
	}
	out := in.Text[:at] + text + in.Text[at:]
	if _, diags := syntax.Parse(source.NewFile(name, out)); diags.Errors() > 0 {
		return nil
	}
	in.Text = out
	in.Added = append(in.Added, piece...)
	return nil
}

// laid sets the layout of lines that are a scenario, or a step of one.
func laid(lines []string) string {
	text := strings.Join(lines, "\n") + "\n"
	whole := text
	wrapped := !strings.Contains("\n"+text, "\nscenario ")
	if wrapped {
		whole = "scenario \"s\"\n" + text
	}
	f, diags := syntax.Parse(source.NewFile("draft", whole))
	if diags.Errors() > 0 {
		return text
	}
	out := syntax.Print(f)
	if wrapped {
		out = strings.TrimPrefix(out, "scenario \"s\"\n")
		if lines[0] == "" && !strings.HasPrefix(out, "\n") {
			out = "\n" + out
		}
	} else if lines[0] == "" && !strings.HasPrefix(out, "\n") {
		out = "\n" + out
	}
	return out
}

// lastEnd is where the last of a statement and all below it ends.
func lastEnd(st *syntax.Statement) int {
	end := st.Span.End
	for _, c := range st.Children {
		end = max(end, lastEnd(c))
	}
	return end
}

// endOfLine is the offset behind the line that an offset is in.
func endOfLine(text string, at int) int {
	if i := strings.IndexByte(text[at:], '\n'); i >= 0 {
		return at + i + 1
	}
	return len(text)
}

// WithSecrets puts lines that bind secrets at the top of the file, behind its
// base; those of names that the file binds already are left out.
func (in *Inserted) WithSecrets(secrets []string, bound func(name string) bool) {
	var add []string
	for _, s := range secrets {
		if name := strings.Fields(s)[1]; !bound(name) {
			add = append(add, s)
		}
	}
	if len(add) == 0 {
		return
	}
	at := 0
	f, _ := syntax.Parse(source.NewFile("", in.Text))
	for _, st := range f.Statements {
		if !syntax.Is[*syntax.Base](st) && !syntax.Is[*syntax.Secret](st) {
			break
		}
		at = endOfLine(in.Text, st.Span.End)
	}
	block := strings.Join(add, "\n") + "\n"
	if at == 0 {
		block += "\n"
	}
	in.Text = in.Text[:at] + block + in.Text[at:]
	in.Line += strings.Count(block, "\n")
	in.Added = append(add, in.Added...)
}
