package form_test

import (
	"fmt"

	"leanwicket.dev/form"
)

// A form is declared once. It reads what was typed, and writes what is sent.
func Example() {
	f, err := form.New(form.Declaration{
		Name: "berth",
		Fields: []form.Field{
			{Path: "vessel/name"},
			{Path: "vessel/length", Kind: form.KindNumber, Constraints: []form.Constraint{{Op: form.OpMaximum, Value: form.Number(24, 0)}}},
		},
		Buttons: []string{"apply"},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	name, _ := f.Lookup("vessel/name")
	length, _ := f.Lookup("vessel/length")
	fmt.Println(f.Accepts(length.Field, f.Parse(length.Field, "30")))
	fmt.Println(string(f.AppendBody(nil, []form.Answer{
		{Place: name, Value: f.Parse(name.Field, "Heron")},
		{Place: length, Value: f.Parse(length.Field, "9.40")},
	})))
	// Output:
	// false
	// {"vessel":{"name":"Heron","length":9.4}}
}
