package office

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"leanwicket.dev/formhttp"
)

// permitForm is what an application says.
type permitForm struct {
	Vessel struct {
		Name   string  `json:"name"`
		Length float64 `json:"length"` // m
	} `json:"vessel"`
	Arrival   string `json:"arrival"`
	Departure string `json:"departure"`
	Berth     string `json:"berth"`
}

// permit gives a berth that is long enough and free, the one that was asked for if
// there was one.
func (o *Office) permit(ctx context.Context, tx *sql.Tx, s formhttp.Submission) (formhttp.Answer, error) {
	var p permitForm
	if err := s.Decode(&p); err != nil {
		return formhttp.Answer{}, err
	}
	berth := p.Berth
	if s.Button == "apply" {
		var err error
		if berth, err = freeBerth(ctx, tx, p); err != nil {
			return formhttp.Answer{}, err
		}
	}
	result, err := tx.ExecContext(ctx, "INSERT INTO permits (account, button, key, vessel, length, arrival, departure, berth, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		account(s.Request), s.Button, s.Key, p.Vessel.Name, p.Vessel.Length, p.Arrival, p.Departure, berth, string(s.Body))
	if err != nil {
		return formhttp.Answer{}, err
	}
	return created(result, "/permits/P-%04d")
}

// created is the answer to what has been inserted.
func created(result sql.Result, path string) (formhttp.Answer, error) {
	number, err := result.LastInsertId()
	if err != nil {
		return formhttp.Answer{}, err
	}
	location := fmt.Sprintf(path, number)
	made := formhttp.Created(location)
	made.Body = map[string]any{"id": location[strings.LastIndex(location, "/")+1:]}
	return made, nil
}

func freeBerth(ctx context.Context, tx *sql.Tx, p permitForm) (berth string, err error) {
	if p.Berth != "" {
		var longest float64
		switch err := tx.QueryRowContext(ctx, "SELECT longest FROM berths WHERE id = ?", p.Berth).Scan(&longest); {
		case errors.Is(err, sql.ErrNoRows):
			return "", refusal("berth", "There is no berth "+p.Berth+".")
		case err != nil:
			return "", err
		case p.Vessel.Length > longest:
			return "", refusal("berth", fmt.Sprintf("Berth %s takes vessels of up to %g m.", p.Berth, longest))
		}
	}
	err = tx.QueryRowContext(ctx, `SELECT id FROM berths WHERE longest >= ?1 AND (?2 = '' OR id = ?2)
		AND NOT EXISTS (SELECT 1 FROM permits WHERE berth = id AND arrival < ?4 AND departure > ?3) ORDER BY longest, id LIMIT 1`,
		p.Vessel.Length, p.Berth, p.Arrival, p.Departure).Scan(&berth)
	switch {
	case err == nil:
		return berth, nil
	case !errors.Is(err, sql.ErrNoRows):
		return "", err
	case p.Berth != "":
		return "", refusal("berth", "Berth "+p.Berth+" is taken at that time.")
	default:
		return "", refusal("arrival", "No berth for this length is free at that time.")
	}
}

// pilot books a slot, which one vessel can have.
func (o *Office) pilot(ctx context.Context, tx *sql.Tx, s formhttp.Submission) (formhttp.Answer, error) {
	var p struct {
		Slot string `json:"slot"`
	}
	if err := s.Decode(&p); err != nil {
		return formhttp.Answer{}, err
	}
	var taken bool
	if err := tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM bookings WHERE slot = ?)", p.Slot).Scan(&taken); err != nil {
		return formhttp.Answer{}, err
	}
	if taken {
		return formhttp.Answer{}, refusal("slot", slotTaken(p.Slot))
	}
	return book(ctx, tx, s, p.Slot)
}

// booking keeps what was sent.
func booking(ctx context.Context, tx *sql.Tx, s formhttp.Submission) (formhttp.Answer, error) {
	return book(ctx, tx, s, "")
}

func book(ctx context.Context, tx *sql.Tx, s formhttp.Submission, slot string) (formhttp.Answer, error) {
	result, err := tx.ExecContext(ctx, "INSERT INTO bookings (account, form, key, slot, body) VALUES (?, ?, ?, ?, ?)",
		account(s.Request), s.Request.URL.Path, s.Key, slot, string(s.Body))
	if err != nil {
		return formhttp.Answer{}, err
	}
	return created(result, "/visits/B-%04d")
}

func slotTaken(slot string) string { return "The pilot is booked at " + slot + "." }

// The checks say what is wrong with a value. They return an empty text where it is good.

func (o *Office) slotProblem(ctx context.Context, slot string) (string, error) {
	var taken bool
	err := o.read.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM bookings WHERE slot = ?)", slot).Scan(&taken)
	if taken {
		return slotTaken(slot), err
	}
	return "", err
}

func (o *Office) berthProblem(ctx context.Context, berth string) (string, error) {
	return o.known(ctx, "SELECT EXISTS (SELECT 1 FROM berths WHERE id = ?)", berth, "There is no berth "+berth+".")
}

func (o *Office) vesselProblem(ctx context.Context, name string) (string, error) {
	return o.known(ctx, "SELECT EXISTS (SELECT 1 FROM vessels WHERE name = ?)", name, "The registry knows no vessel "+name+".")
}

func (o *Office) known(ctx context.Context, query, value, otherwise string) (string, error) {
	var known bool
	if err := o.read.QueryRowContext(ctx, query, value).Scan(&known); err != nil || known {
		return "", err
	}
	return otherwise, nil
}

// check answers a check: 204 where the value is good, 422 where it is not.
func (o *Office) check(w http.ResponseWriter, r *http.Request, find func(context.Context, string) (string, error)) {
	if response, refused := trouble(r.Context()).response(); refused {
		writeJSON(w, response)
		return
	}
	wrong, err := find(r.Context(), r.PathValue("value"))
	switch {
	case err != nil:
		o.log.Error("a check failed", "error", err)
		writeJSON(w, problem(http.StatusInternalServerError, "The check failed."))
	case wrong != "":
		writeJSON(w, problem(http.StatusUnprocessableEntity, wrong))
	default:
		w.WriteHeader(http.StatusNoContent)
	}
}
