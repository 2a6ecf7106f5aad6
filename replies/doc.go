// Package replies reads what an HTTP reply means for the lifecycle: status,
// headers and decoded body become a [lifecycle.Reply], every entry of a refusal
// placed on a field or on the form.
//
//	reply := replies.Submit(form, replies.Response{
//		Status: 422,
//		Body:   map[string]any{"errors": map[string]any{"vessel.name": "This name is taken."}},
//	})
//	session.Apply(lifecycle.Replied(attempt, try, reply))
package replies
