package form

// Redaction stands in for private values: it gives the token of a value.
type Redaction func(Value) string

// Redacted is what stands for a private value in a trace: its token, and the codes
// of the rules that it broke by itself.
func Redacted(token string, broken []Code) Value {
	v := Value{Kind: ValueRedacted, Text: token}
	for _, code := range broken {
		v.Coef |= 1 << code
	}
	return v
}

// Redact redacts a value of a field: what is absent stays absent.
func (f *Form) Redact(id FieldID, v Value, by Redaction) Value {
	switch {
	case v.Absent() || v.Kind == ValueRedacted:
		return v
	case f.Fields[id].Kind == KindBeyond: // one stands for all: an acceptance can make a value that no event has
		return Value{Kind: ValueRedacted, Text: f.Fields[id].Kind.String()}
	case v.Kind == ValueUnparsed:
		return Redacted(by(v), []Code{CodeBadInput})
	}
	var broken []Code
	for k := range f.Fields[id].Constraints {
		if c := &f.Fields[id].Constraints[k]; !c.Op.Compares() && c.Op != OpRequired && c.Op != OpTicked {
			if _, code, bad := f.Breaks(id, k, v); bad {
				broken = append(broken, code)
			}
		}
	}
	return Redacted(by(v), broken)
}
