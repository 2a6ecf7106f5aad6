package declare_test

import (
	"fmt"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
)

// A session takes events and returns effects; whoever drives it carries them
// out and brings the answers back as events.
func Example() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml") // or declare.File("berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	session, _ := lifecycle.Open(source.Form, lifecycle.Seed{1}) // 128 random bits in earnest
	apply := func(event lifecycle.Event) {
		effects, err := session.Apply(event)
		if err != nil {
			fmt.Println(err)
		}
		for _, effect := range effects {
			switch effect.Kind {
			case lifecycle.EffectSend:
				fmt.Println("send:", string(source.Form.AppendBody(nil, effect.Values)))
			case lifecycle.EffectSay:
				fmt.Println("say:", source.Form.Text(effect.Message))
			}
		}
	}
	apply(lifecycle.Edit("name", "Heron"))
	apply(lifecycle.Submit(""))
	apply(lifecycle.Edit("length", "9.40"))
	apply(lifecycle.Submit(""))
	apply(lifecycle.Submit("")) // the second click
	apply(lifecycle.Replied(1, 1, &lifecycle.Reply{Kind: lifecycle.ReplyAccepted}))
	fmt.Println(session.Submission(), session.Unsaved(), session.Ignored())
	// Output:
	// say: Not sent: one answer needs your attention.
	// send: {"name":"Heron","length":9.4}
	// say: Your answers have been received.
	// accepted false 1
}

// A struct is a form, and the answers of a session come back as the struct.
func ExampleFromStruct() {
	type Loan struct {
		Title string    `json:"title" label:"Title" form:"required; maxLength=80"`
		Kind  string    `json:"kind" label:"Kind" form:"enum=novel=A novel|atlas=An atlas"`
		Back  time.Time `json:"back" label:"Back on" form:"required; format=date"`
	}
	source, err := declare.FromStruct[Loan]("form: loan\nsubmit: {url: /loans}")
	if err != nil {
		fmt.Println(err)
		return
	}
	session, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
	for _, edit := range []lifecycle.Event{lifecycle.Edit("title", "Tides"), lifecycle.Edit("kind", "atlas"), lifecycle.Edit("back", "2031-05-02")} {
		if _, err := session.Apply(edit); err != nil {
			fmt.Println(err)
		}
	}
	var loan Loan
	err = session.Decode(&loan)
	fmt.Println(loan.Title, loan.Kind, loan.Back.Format(time.DateOnly), err)
	// Output: Tides atlas 2031-05-02 <nil>
}
