package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// resolve chooses one side of a contested field: the applicant's edit stays, or
// the newer saved value is taken in its place.
func (s *Session) resolve(path string, choice Choice) error {
	i, err := s.place(path)
	if err != nil {
		return err
	}
	if !s.has(i, state.BitContested) || !s.has(i, state.BitAsked) {
		return ErrNoContest
	}
	if s.locked() {
		return ErrLocked
	}
	s.unmark(i, state.BitContested)
	if choice == ChooseMine {
		return nil
	}
	s.beginEdit()
	s.byEdit = false // to take what is saved is no edit
	if group := s.cells[i].Field; s.form.Fields[group].Kind == form.KindRows {
		s.takeBaseRows(group)
	}
	s.takeSaved(i)
	return nil
}

// takeSaved puts the saved value into a cell. From then on the cell follows the loads.
func (s *Session) takeSaved(i int32) {
	if s.form.Fields[s.cells[i].Field].Kind != form.KindRows {
		s.take(i, s.cells[i].Baseline)
	}
	s.unmark(i, state.BitEdited|state.BitRowsEdited|state.BitContested|state.BitRestored|state.BitStays)
	s.dropIssuesOf(i)
	s.dropCheck(i)
	s.revise(i)
}

// takeBaseRows replaces a group's rows by those that are saved.
func (s *Session) takeBaseRows(group form.FieldID) {
	base := s.groups[s.form.GroupIndex(group)].Base
	s.setRows(group, base)
	for _, r := range base {
		for i := range s.cellsOf(r) {
			s.takeSaved(i)
		}
	}
	s.freeRows(group)
}
