package exchange

// noBody tells whether an answer ends with its header section, whatever its
// fields say (RFC 9112 §6.3).
func noBody(method string, status int) bool {
	return method == "HEAD" || status == 204 || status == 304 || status/100 == 1
}
