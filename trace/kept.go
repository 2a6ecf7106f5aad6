package trace

import (
	"errors"

	"leanwicket.dev/lifecycle"
)

// AppendKept writes what a page keeps for the next one, as a JSON object with the
// form's fingerprint. It has no private value: lifecycle.Session.Kept leaves those out.
func AppendKept(to []byte, form *lifecycle.Form, r *lifecycle.Restored) []byte {
	w := &Writer{form: form}
	var o object
	o.str("fingerprint", hex(form.Fingerprint()))
	if r.Attempt != nil {
		o.str("key", r.Attempt.Key.String())
	}
	o.raw("kept", w.kept(r))
	return append(to, o.end()...)
}

// ErrOtherForm is the error of what another form, or another version of this one,
// has kept.
var ErrOtherForm = errors.New("another version of the form has kept this")

// ReadKept reads what AppendKept wrote.
func ReadKept(form *lifecycle.Form, text string) (*lifecycle.Restored, error) {
	o, err := parseObject(text)
	if err != nil {
		return nil, err
	}
	if str(o, "fingerprint") != hex(form.Fingerprint()) {
		return nil, ErrOtherForm
	}
	kept, ok := o["kept"].(map[string]any)
	if !ok {
		return nil, errJSON
	}
	r := &eventReader{form: form}
	restored := r.kept(kept)
	if restored.Attempt != nil {
		if restored.Attempt.Key, ok = lifecycle.ParseKey(str(o, "key")); !ok {
			return nil, errJSON
		}
	}
	if r.bad != "" {
		return nil, errors.New("found " + r.bad)
	}
	return restored, nil
}
