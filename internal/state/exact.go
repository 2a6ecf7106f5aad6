package state

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
)

// AppendExact appends everything that a session remembers, but for its keys: two runs of one
// session have other keys, and attempts are told apart by their numbers.
func AppendExact(to []byte, s Visited) []byte {
	var v Visitor
	return v.append(to, s)
}

// AppendRedacted appends the exact state with private values redacted, and without the words of
// the server and addresses, in which such values may be repeated.
func AppendRedacted(to []byte, s Visited, f *form.Form, redact form.Redaction) []byte {
	v := Visitor{form: f, redact: redact}
	return v.append(to, s)
}

func (v *Visitor) append(to []byte, s Visited) []byte {
	v.Gather(s)
	c := codec.Writing(to)
	v.CodeOthers(&c)
	v.withCells = true
	c = v.CodeLists(s, c)
	return c.Written()
}

// CodeOthers writes the numbers and the texts with a codec, or reads them.
func (v *Visitor) CodeOthers(c *codec.Codec) {
	c.Numbers(v.Numbers[:])
	for part := range v.Texts {
		if v.redact == nil || Text(part).isVersion() {
			c.Text(&v.Texts[part])
		}
	}
}
