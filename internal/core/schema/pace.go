package schema

import (
	"context"
	"errors"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// Patience bounds how long a value is held against a schema: one that branches
// again and again could take for ever.
const Patience = 3 * time.Second

var errTooLong = errors.New("it takes more than 3s to hold the body against this schema, which is the limit; it branches too often")

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
	p.ctx, p.until, p.steps = ctx, time.Now().Add(Patience), 0
}

// Validate makes it a part of a compiled schema.
func (p *pace) Validate(*jsonschema.ValidatorContext, any) {
	p.steps++
	if p.ctx != nil && p.steps%256 == 0 && (time.Now().After(p.until) || p.ctx.Err() != nil) {
		// The library has no other way out.
		panic(errTooLong)
	}
}
