package canonical_test

import (
	"testing"

	"pgregory.net/rapid"

	"leanwicket.dev/internal/canonical"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
)

// A canonical state that was packed is the same when it is unpacked, into a session that held
// something else too; packed again it is the same bytes.
func TestUnpackedIsWhatWasPacked(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := walk.New(walk.Form(t))
		packer := canonical.NewPacker(w.Session.Form(), canonical.Options{Whole: rapid.Bool().Draw(t, "whole")})
		var other, canon lifecycle.Session
		t.Repeat(map[string]func(*rapid.T){"": func(t *rapid.T) {
			canon.CopyFrom(w.Session)
			packer.Normalise(&canon, canonical.Ahead{})
			packed := packer.Pack(nil, &canon, []byte("beside"))
			beside, rest := packer.Unpack(packed, &other)
			if beside != "beside" || len(rest) > 0 {
				t.Fatalf("beside it is %q, and behind it %d bytes", beside, len(rest))
			}
			if !other.Same(&canon) {
				t.Fatalf("packed\n%q\nunpacked\n%q", state.AppendExact(nil, &canon), state.AppendExact(nil, &other))
			}
			packer.Normalise(&other, canonical.Ahead{})
			if again := packer.Pack(nil, &other, []byte("beside")); string(again) != string(packed) {
				t.Fatalf("packed again it is %q, not %q", again, packed)
			}
		}, "step": func(t *rapid.T) { w.Step(w.Event(t)) }})
	})
}
