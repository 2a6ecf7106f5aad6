// Package seen remembers the status of a response, for logs and counts.
package seen

import "net/http"

// Writer is a response whose status is remembered.
type Writer struct {
	http.ResponseWriter
	Status int // as it is written; begin with http.StatusOK
}

// WriteHeader implements [http.ResponseWriter].
func (w *Writer) WriteHeader(status int) {
	w.Status = status
	w.ResponseWriter.WriteHeader(status)
}

// Unwrap lets http.ResponseController reach what is below.
func (w *Writer) Unwrap() http.ResponseWriter { return w.ResponseWriter }
