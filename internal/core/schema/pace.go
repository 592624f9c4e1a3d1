package schema

import (
	"context"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"usualpath/internal/core/bound"
)

// tooLong is a value that is held against a schema for longer than
// bound.Patience: one that branches again and again could take for ever.
type tooLong struct{}

func (tooLong) Error() string {
	return "it takes more than " + bound.Patience().String() + " to hold the body against this schema, which is the limit; it branches too often (" + bound.Hint + ")"
}

// pace looks at the clock while a value is held against a schema. The library
// has no bound of its own: a vocabulary without keywords is asked at each place
// of the schema, and ends it from within.
type pace struct {
	ctx   context.Context
	until time.Time
	steps int
}

// join makes the pace a part of every schema that is compiled.
func (p *pace) join(c *jsonschema.Compiler) {
	c.RegisterVocabulary(&jsonschema.Vocabulary{URL: "urn:usualpath:pace", Compile: func(*jsonschema.CompilerContext, map[string]any) (jsonschema.SchemaExt, error) { return p, nil }})
	c.AssertVocabs()
}

func (p *pace) begin(ctx context.Context) {
	p.ctx, p.until, p.steps = ctx, time.Now().Add(bound.Patience()), 0
}

// Validate makes it a part of a compiled schema.
func (p *pace) Validate(*jsonschema.ValidatorContext, any) {
	p.steps++
	if p.ctx != nil && p.steps%256 == 0 && (time.Now().After(p.until) || p.ctx.Err() != nil) {
		// The library has no other way out.
		panic(tooLong{})
	}
}
