// A form from a struct, served without any script over one SQLite file: open
// http://127.0.0.1:8720/.
package main

import (
	"context"
	"database/sql"
	"fmt"
	"log"
	"net/http"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger/sqlite"
)

// Stay is one application for a berth.
type Stay struct {
	Vessel  string `json:"vessel" label:"Vessel name" form:"required; minLength=2"`
	Nights  int    `json:"nights" label:"Nights" form:"required; minimum=1; maximum=30"`
	Arrival string `json:"arrival" label:"Arrival" form:"format=date"`
	Power   bool   `json:"power" label:"Shore power"`
}

// book inserts a stay. The row and the answer commit together: whenever this
// program stops, a repeat finds both or neither.
func book(ctx context.Context, stay Stay, _ formhttp.Submission) (formhttp.Answer, error) {
	tx, err := sqlite.Tx(ctx)
	if err != nil {
		return formhttp.Answer{}, err
	}
	result, err := tx.ExecContext(ctx, "INSERT INTO stays (vessel, nights, arrival, power) VALUES (?, ?, ?, ?)", stay.Vessel, stay.Nights, stay.Arrival, stay.Power)
	switch {
	case sqlite.IsUnique(err):
		return formhttp.Answer{}, formhttp.Wrong{"vessel": "This vessel has a berth already."}
	case err != nil:
		return formhttp.Answer{}, err
	}
	number, err := result.LastInsertId()
	return formhttp.Answer{Status: 201, Body: map[string]any{"id": number}}, err
}

func main() {
	form, err := declare.FromStruct[Stay]("form: stay\ntitle: A stay at Saltmarsh Quay\nsubmit: {url: /, buttons: [book]}\naccepted: {say: Your berth is booked.}\n")
	if err != nil {
		log.Fatal(err)
	}
	store, err := sqlite.Open("stays.db", sqlite.Options{})
	if err != nil {
		log.Fatal(err)
	}
	defer store.Close()
	err = store.Write(context.Background(), func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS stays (number INTEGER PRIMARY KEY, vessel TEXT UNIQUE, nights INTEGER, arrival TEXT, power INTEGER)")
		return err
	})
	if err != nil {
		log.Fatal(err)
	}
	page, err := formhttp.For(form.Form, formhttp.Typed[Stay]{Submit: book}, formhttp.Options{Ledger: store.InTransaction()})
	if err != nil {
		log.Fatal(err)
	}
	http.Handle("/", page)
	fmt.Println("open http://127.0.0.1:8720/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8720", nil))
}
