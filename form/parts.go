package form

// partNames are the names of the parts of a form's lifecycle, as a form file has them.
var partNames = [...]string{
	tagName: "form", tagFields: "fields", tagObjects: "objects", tagDefaults: "defaults", tagButtons: "buttons", tagPrefill: "prefill",
	tagSubmit: "submit", tagShow: "show", tagAccepted: "accepted", tagLeave: "leave", tagServerNames: "serverNames", tagInBody: "inBody",
	tagInBodyNone: "inBody", tagGiven: "given", tagSignInPaths: "signIn", tagOrigins: "origins", tagNulls: "nulls",
}

// LifecyclePart is one part of a form's lifecycle.
type LifecyclePart struct {
	Name   string // as a form file has it; of a field its path
	Digest uint32 // of what it declares
}

// LifecycleParts lists the parts of the form's lifecycle that declare something: each field, and
// beside these what the form declares as a whole.
func (f *Form) LifecycleParts() (list []LifecyclePart) {
	if f.declared != nil {
		f = f.declared
	}
	for k := range f.Declared() {
		c := codec{only: lifecycleOnly}
		field := f.Fields[k]
		c.field(&field)
		list = append(list, LifecyclePart{field.Path, uint32(hashOf(c.out))})
	}
	c := codec{in: f.encode(nil, lifecycleOnly), reading: true}
	c.parts(func(p *parts) {
		for tag := tagName; tag <= lastTag; tag++ {
			if content, has := p.found[tag]; has && tag != tagFields {
				list = append(list, LifecyclePart{partNames[tag], uint32(hashOf(content))})
			}
		}
	})
	return list
}
