package declare_test

import (
	"fmt"

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
