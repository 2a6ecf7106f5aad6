package ledger

import (
	"bytes"
	"encoding/json"
)

// Row is what the table of a store in a database holds of a key.
type Row struct {
	Fingerprint, Owner []byte
	Status             *int    // nil means that it is not settled
	Header             *string // a JSON object
	Body               []byte
}

// State is what a row means for a reservation that has just been tried. A row
// with its own owner was won, also where the answer of an earlier try was lost.
func (row Row) State(r Reservation) (State, Response, error) {
	switch {
	case !bytes.Equal(row.Fingerprint, r.Fingerprint[:]):
		return Different, Response{}, nil
	case row.Status == nil && bytes.Equal(row.Owner, r.Owner[:]):
		return Reserved, Response{}, nil
	case row.Status == nil:
		return InFlight, Response{}, nil
	}
	a, err := row.Response()
	return Settled, a, err
}

// Kept returns the answer of a settled row with its fingerprint.
func (row Row) Kept() (*Kept, error) {
	a, err := row.Response()
	if err != nil {
		return nil, err
	}
	kept := &Kept{Response: a}
	copy(kept.Fingerprint[:], row.Fingerprint)
	return kept, nil
}

// Response returns the answer of a settled row.
func (row Row) Response() (a Response, err error) {
	a = Response{Status: *row.Status, Body: row.Body}
	if row.Header != nil {
		err = json.Unmarshal([]byte(*row.Header), &a.Header)
	}
	return a, err
}

// HeaderText writes the header as a Row has it.
func (a Response) HeaderText() string {
	text, _ := json.Marshal(a.Header) // texts only: it does not fail
	return string(text)
}
