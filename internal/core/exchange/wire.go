package exchange

import (
	"bufio"
	"bytes"
	"net/http/httputil"
	"strings"
)

// Wire is the header of a request as it goes out, in its order: what the request
// says, and the fields that are added on the way, Host and User-Agent among them.
func Wire(r *Request, agent string) []Field {
	c := &Client{options: Options{Agent: agent}}
	req, failure := c.build(r)
	if failure != nil {
		return r.Header
	}
	head, err := httputil.DumpRequestOut(req, false)
	if err != nil {
		return r.Header
	}
	var out []Field
	lines := bufio.NewScanner(bytes.NewReader(head))
	lines.Buffer(nil, 1<<20)
	for first := true; lines.Scan(); first = false {
		name, v, ok := strings.Cut(lines.Text(), ": ")
		// The dump asks for gzip by itself, which the client does not.
		added := name == "Accept-Encoding" && req.Header.Get(name) == ""
		if ok && !first && !added {
			out = append(out, Field{name, v})
		}
	}
	return out
}
