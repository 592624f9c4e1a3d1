package syntax

// Public is `public OPERATION, …`.
type Public struct{ Supports }

var _ = form(Form{Word: "public", In: InResource, Usage: "public OPERATION, …", Help: "Operations that need no credentials although the resource has `auth`: the access checks skip them.",
	Example: `public list, read`}, func() Body { return &Public{} })
