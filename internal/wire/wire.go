// Package wire puts a decoded reply on the wire: a stand-in for a server hands a form what a
// driver would have received from one.
package wire

import (
	"encoding/json"
	"fmt"
	"maps"

	"leanwicket.dev/replies"
)

// Received is what a driver receives of a reply that comes whole from the address that was
// asked. A body goes as JSON unless its header says that it is of another type: then it is a
// text. It panics where a body cannot be JSON.
func Received(r replies.Response) replies.Received {
	got := replies.Received{Status: r.Status, Header: maps.Clone(r.Header), Now: r.Now}
	if r.Broken {
		return replies.Received{}
	}
	if r.Body == nil {
		return got
	}
	if text, is := r.Body.(string); is && r.Header["Content-Type"] != "" {
		got.Body = []byte(text)
		return got
	}
	if got.Header == nil {
		got.Header = map[string]string{}
	}
	if got.Header["Content-Type"] == "" {
		got.Header["Content-Type"] = "application/json"
	}
	var err error
	if got.Body, err = json.Marshal(r.Body); err != nil {
		panic(fmt.Sprintf("wire: found a body that is no JSON: %v", err))
	}
	return got
}
