// Package formhttp serves a form as an http.Handler that works without any
// script: the page with the saved answers, the submission with the same
// constraints once more, what was typed and what is wrong after a refusal, and a
// redirect after success. Behind it stands the core: the server runs the very
// session that a browser would.
//
//	source, err := declare.Open("mooring.form.yaml")
//	if err != nil {
//		return err
//	}
//	permit, err := formhttp.New(source.Form, source, formhttp.Options{
//		Submit: func(ctx context.Context, s formhttp.Submission) (formhttp.Answer, error) {
//			return formhttp.Created("/permits/7"), nil
//		},
//	})
//	if err != nil {
//		return err
//	}
//	http.Handle("/permits/new", permit)
//
// A submission carries a key. Its work is done once: a repeat, be it a second
// click or a retry after a lost reply, gets the first one's answer.
package formhttp
