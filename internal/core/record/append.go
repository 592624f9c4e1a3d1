package record

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strconv"
	"time"
	"unicode/utf8"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// appendStep puts a step behind what a buffer holds, as encodeLine does: there are as many
// of them as there are requests, and reflection would cost more than all the rest of a
// record. A test holds the two against each other.
func appendStep(b []byte, e *event.StepFinished) []byte {
	b = append(b, `{"event":"step","scenario":`...)
	b = strconv.AppendInt(b, int64(e.Scenario), 10)
	b = appendInt(b, `,"index":`, int64(e.Index))
	b = appendText(b, `,"title":`, e.Title)
	b = appendText(b, `,"file":`, e.File)
	b = appendInt(b, `,"line":`, int64(e.Line))
	b = appendText(b, `,"verdict":`, string(e.Verdict))
	if e.Afterwards {
		b = append(b, `,"afterwards":true`...)
	}
	b = appendInt(b, `,"took_us":`, micros(e.Took))
	b = appendInt(b, `,"requests":`, int64(e.Requests))
	if e.Judged != 0 {
		b = appendInt(b, `,"expectations":`, int64(e.Judged))
	}
	b = appendSome(b, `,"why":`, e.Why)
	b = appendList(b, `,"lacks":`, e.Lacks)
	for i, f := range e.Findings {
		b = opens(b, `,"findings":[`, i)
		b = appendText(b, `{"verdict":`, string(f.Verdict))
		b = appendInt(b, `,"line":`, int64(f.Line))
		b = appendText(b, `,"expected":`, f.Expected)
		b = appendList(b, `,"observed":`, f.Observed)
		b = appendSome(b, `,"because":`, f.Because)
		b = appendSome(b, `,"look":`, f.Look)
		b = appendInt(b, `,"exchange":`, int64(f.Sent))
		b = append(b, '}')
	}
	b = closes(b, len(e.Findings))
	for i, s := range e.Sent {
		b = opens(b, `,"exchanges":[`, i)
		b = appendExchange(b, s)
	}
	b = closes(b, len(e.Sent))
	return append(b, "}\n"...)
}

// opens begins a list before its first entry, and parts the others.
func opens(b []byte, name string, i int) []byte {
	if i == 0 {
		return append(b, name...)
	}
	return append(b, ',')
}

func closes(b []byte, n int) []byte {
	if n == 0 {
		return b
	}
	return append(b, ']')
}

func appendExchange(b []byte, s event.Sent) []byte {
	x := s.Exchange
	b = appendText(b, `{"role":`, string(s.Role))
	if s.N != 0 {
		b = appendInt(b, `,"n":`, int64(s.N))
	}
	b = appendSome(b, `,"name":`, s.Name)
	b = append(b, `,"start":"`...)
	b = x.Start.UTC().Truncate(time.Microsecond).AppendFormat(b, time.RFC3339Nano)
	b = appendInt(b, `","connect_us":`, micros(x.Timing.Connect))
	b = appendInt(b, `,"wait_us":`, micros(x.Timing.Wait))
	b = appendInt(b, `,"read_us":`, micros(x.Timing.Read))
	b = appendInt(b, `,"total_us":`, micros(x.Timing.Total))
	b = appendText(b, `,"request":{"method":`, x.Request.Method)
	b = appendText(b, `,"url":`, x.Request.URL)
	for i, f := range x.Request.Header {
		b = appendField(opens(b, `,"headers":[`, i), f.Name, f.Value)
	}
	b = closes(b, len(x.Request.Header))
	b = appendBody(b, x.Request.Body, x.Request.Length)
	b = append(b, '}')
	if a := x.Answer; a != nil {
		b = appendAnswer(b, a)
	}
	if f := x.Failure; f != nil {
		b = appendText(b, `,"failure":{"kind":`, string(f.Kind))
		b = appendSome(b, `,"detail":`, f.Detail)
		b = append(b, '}')
	}
	return append(b, '}')
}

func appendAnswer(b []byte, a *exchange.Answer) []byte {
	b = appendText(b, `,"answer":{"proto":`, a.Proto)
	b = appendInt(b, `,"status":`, int64(a.Status))
	b = appendSome(b, `,"reason":`, a.Reason)
	var room [24]string
	names := room[:0]
	for n := range a.Header {
		names = append(names, n)
	}
	slices.Sort(names)
	fields := 0
	for _, n := range names {
		for _, v := range a.Header[n] {
			b = appendField(opens(b, `,"headers":[`, fields), n, v)
			fields++
		}
	}
	b = closes(b, fields)
	b = appendBody(b, a.Body, a.Length)
	b = appendInt(b, `,"wire":`, int64(a.Wire))
	if a.Stray != 0 {
		b = appendInt(b, `,"stray":`, int64(a.Stray))
	}
	b = appendSome(b, `,"from":`, a.From)
	return append(b, '}')
}

func appendField(b []byte, name, v string) []byte {
	b = appendQuoted(append(b, '['), name)
	return append(appendQuoted(append(b, ','), v), ']')
}

// appendBody is wireBody without a copy of the text.
func appendBody(b, data []byte, length int) []byte {
	if len(data) == 0 && length == 0 {
		return b
	}
	length = max(length, len(data))
	sum := ""
	if len(data) > maxBody {
		whole := sha256.Sum256(data)
		sum, data = hex.EncodeToString(whole[:]), kept(data)
	}
	b = append(b, `,"body":{`...)
	switch {
	case !utf8.Valid(data):
		b = append(b, `"base64":"`...)
		b = append(base64.StdEncoding.AppendEncode(b, data), `",`...)
	case len(data) > 0:
		b = append(appendQuoted(append(b, `"text":`...), data), ',')
	}
	b = strconv.AppendInt(append(b, `"length":`...), int64(length), 10)
	return append(appendSome(b, `,"sha256":`, sum), '}')
}

func appendInt(b []byte, name string, n int64) []byte {
	return strconv.AppendInt(append(b, name...), n, 10)
}

func appendText(b []byte, name, text string) []byte { return appendQuoted(append(b, name...), text) }

// appendSome leaves out what is empty.
func appendSome(b []byte, name, text string) []byte {
	if text == "" {
		return b
	}
	return appendText(b, name, text)
}

func appendList(b []byte, name string, list []string) []byte {
	for i, text := range list {
		b = appendQuoted(opens(b, name+"[", i), text)
	}
	return closes(b, len(list))
}

// appendQuoted is a text as a JSON string, with U+FFFD for each byte that is not UTF-8.
func appendQuoted[T string | []byte](b []byte, text T) []byte {
	mark := len(b)
	b = append(b, '"')
	from := 0
	for i := 0; i < len(text); i++ {
		c := text[i]
		escape := byte(0)
		switch {
		case c == '"' || c == '\\':
			escape = c
		case c == '\n':
			escape = 'n'
		case c == '\r':
			escape = 'r'
		case c == '\t':
			escape = 't'
		case c < 0x20 || c >= 0x80:
			// Rare enough to be left to the library.
			return appendRare(b[:mark], string(text))
		default:
			continue
		}
		b = append(append(b, text[from:i]...), '\\', escape)
		from = i + 1
	}
	return append(append(b, text[from:]...), '"')
}

func appendRare(b []byte, text string) []byte {
	var out bytes.Buffer
	e := json.NewEncoder(&out)
	e.SetEscapeHTML(false)
	// A text is always encoded.
	_ = e.Encode(legible(text))
	return append(b, bytes.TrimSuffix(out.Bytes(), []byte("\n"))...)
}
