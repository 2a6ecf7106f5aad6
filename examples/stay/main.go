// A form from a struct, served without any script: open http://127.0.0.1:8720/.
package main

import (
	"context"
	"fmt"
	"log"
	"net/http"
	"sync"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/replies"
)

// Stay is one application for a berth.
type Stay struct {
	Vessel  string `json:"vessel" label:"Vessel name" form:"required; minLength=2"`
	Nights  int    `json:"nights" label:"Nights" form:"required; minimum=1; maximum=30"`
	Arrival string `json:"arrival" label:"Arrival" form:"format=date"`
	Power   bool   `json:"power" label:"Shore power"`
}

// berths is the application: what it has been told once, it knows once.
type berths struct {
	mu    sync.Mutex
	stays []Stay
}

func (b *berths) book(_ context.Context, s formhttp.Submission) (replies.Response, error) {
	var stay Stay
	if err := s.Decode(&stay); err != nil {
		return replies.Response{}, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, known := range b.stays {
		if known.Vessel == stay.Vessel {
			return replies.Response{Status: 422, Body: map[string]any{"errors": map[string]any{"vessel": "This vessel has a berth already."}}}, nil
		}
	}
	b.stays = append(b.stays, stay)
	return replies.Response{Status: 201, Body: map[string]any{"id": len(b.stays)}}, nil
}

func main() {
	form, err := declare.FromStruct[Stay]("form: stay\ntitle: A stay at Saltmarsh Quay\nsubmit: {url: /, buttons: [book]}\naccepted: {say: Your berth is booked.}\n")
	if err != nil {
		log.Fatal(err)
	}
	http.Handle("/", formhttp.New(form, formhttp.Options{Submit: new(berths).book, Ledger: memory.New(24 * time.Hour)}))
	fmt.Println("open http://127.0.0.1:8720/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8720", nil))
}
