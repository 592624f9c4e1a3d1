package syntax

// Public is `public OPERATION, …`.
type Public struct{ Supports }

var _ = form(Form{Word: "public", In: InResource, Usage: "public OPERATION, …", Help: "What needs no credentials, where the resource has `auth`: the access checks leave it out.",
	Example: `public list, read`}, func() Body { return &Public{} })
