package verify

import (
	"slices"

	"leanwicket.dev/form"
)

// AuditAll has each step of a walk audited.
func AuditAll(o *Options) { o.auditAll = true }

// AuditSession takes a session through canonical states, by moves that are chosen out of so many, and
// audits each step. It says what makes a difference; empty means that nothing does.
func AuditSession(declared *form.Form, o Options, steps int, choose func(of int) int) (audited int, difference string, err error) {
	o = o.withDefaults(declared)
	m, err := newSuccessors(declared, o)
	if err != nil {
		return 0, "", err
	}
	p := m.packer()
	a := newAuditor(m, p.Fork())
	pages := append([]earlier{{name: "afresh"}}, m.earlierPages()...)
	w, err := m.begin(pages[choose(len(pages))])
	if err != nil {
		return 0, "", err
	}
	a.beforeAll(w)
	packed := w.pack(nil, p, &o)
	if difference := a.after(packed); difference != "" {
		return 0, "the session begins, then " + difference, nil
	}
	for range steps {
		w.unpack(packed, p, &o)
		moves, _ := m.moves(w, nil)
		if len(moves) == 0 {
			break
		}
		move := &moves[choose(len(moves))]
		if taken, _, _ := w.take(move); !taken || w.gone() {
			continue
		}
		a.before(w)
		packed = w.pack(packed[:0], p, &o)
		if difference := a.after(slices.Clone(packed)); difference != "" {
			return audited, a.nameOf(w, move) + ", then " + difference, nil
		}
		audited++
	}
	return audited, "", nil
}
