package lifecycle_test

import (
	"fmt"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// A session takes events and gives effects back as data. Nothing is sent here: whoever
// drives the session sends what an effect asks for.
func Example() {
	f, err := form.New(form.Declaration{
		Name:    "berth",
		Fields:  []form.Field{{Path: "vessel", Label: "Vessel", Constraints: []form.Constraint{{Op: form.OpRequired}}}},
		Buttons: []string{"apply"},
		Submit:  form.SubmitPolicy{URL: "/berths", Method: "POST", Timeout: 10 * time.Second},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	session, _ := lifecycle.Open(f, lifecycle.Seed{1}) // 128 random bits in earnest
	for _, event := range []lifecycle.Event{
		lifecycle.Submit("apply"), // blocked: the vessel is missing
		lifecycle.Edit("vessel", "Heron"),
		lifecycle.Submit("apply"),
		lifecycle.Submit("apply"), // the second click
		lifecycle.Replied(1, 1, &lifecycle.Reply{Kind: lifecycle.ReplyRefused, Entries: []lifecycle.Entry{{Path: "vessel", Text: "This vessel has a berth already."}}}),
	} {
		step := lifecycle.Drive(session, event)
		fmt.Println(event.Kind, session.Submission(), session.Holds("apply").Words())
		for _, effect := range step.Effects {
			if effect.Kind == lifecycle.EffectSend {
				fmt.Println("  send", string(f.AppendBody(nil, effect.Values)))
			}
		}
	}
	vessel, _ := session.Field("vessel")
	fmt.Println(vessel.Issues()[0].Text)
	// Output:
	// submit idle [invalid]
	// edit idle []
	// submit sending [sending]
	//   send {"vessel":"Heron"}
	// submit sending [sending]
	// replied refused []
	// This vessel has a berth already.
}
