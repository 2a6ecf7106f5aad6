package form

// Veil stands in for private values: it gives the token of a value.
type Veil func(Value) string

// Veiled is what stands for a private value in a trace: its token, and the codes
// of the rules that it broke by itself.
func Veiled(token string, broken []Code) Value {
	v := Value{Kind: ValueVeiled, Text: token}
	for _, code := range broken {
		v.Coef |= 1 << code
	}
	return v
}

// VeilOf veils a value of a field: what is absent stays absent.
func (f *Form) VeilOf(id FieldID, v Value, veil Veil) Value {
	switch {
	case v.Absent() || v.Kind == ValueVeiled:
		return v
	case v.Kind == ValueUnparsed:
		return Veiled(veil(v), []Code{CodeBadInput})
	}
	var broken []Code
	for k := range f.Fields[id].Constraints {
		if c := &f.Fields[id].Constraints[k]; !c.Op.Compares() && c.Op != OpRequired && c.Op != OpTicked {
			if _, code, bad := f.Breaks(id, k, v); bad {
				broken = append(broken, code)
			}
		}
	}
	return Veiled(veil(v), broken)
}
