// The two forms of an application that there was before, with handlers and pages of its own:
// a second click and a repeat after a lost answer do nothing twice any more. Open
// http://127.0.0.1:8726/.
//
// What is new in it is once, which stands around the handlers, the key in the pages, and that
// the handlers write in the transaction that once has begun.
package main

import (
	"context"
	"crypto/rand"
	"database/sql"
	"embed"
	"fmt"
	"html/template"
	"log"
	"net/http"

	"leanwicket.dev/ledger/sqlite"
)

//go:embed desk.html
var files embed.FS

var pages = template.Must(template.New("").Funcs(template.FuncMap{"key": rand.Text}).ParseFS(files, "desk.html"))

// show writes a page, with what was typed and what is wrong with it.
func show(w http.ResponseWriter, r *http.Request, status int, wrong string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = pages.ExecuteTemplate(w, r.URL.Path[1:], map[string]any{"Wrong": wrong, "Typed": r.PostForm})
}

// report notes something that was found. It is an ordinary handler, whose statements run in the
// transaction of the submission.
func report(w http.ResponseWriter, r *http.Request) {
	what, where := r.PostFormValue("what"), r.PostFormValue("where")
	if what == "" {
		show(w, r, http.StatusUnprocessableEntity, "What was found is missing.")
		return
	}
	tx, err := sqlite.Tx(r.Context())
	if err == nil {
		_, err = tx.ExecContext(r.Context(), "INSERT INTO found (what, place) VALUES (?, ?)", what, where)
	}
	if err != nil {
		http.Error(w, "The desk cannot write at the moment.", http.StatusInternalServerError)
		return
	}
	http.Redirect(w, r, "/thanks", http.StatusSeeOther)
}

// claim hands something out, once.
func claim(w http.ResponseWriter, r *http.Request) {
	var result sql.Result
	tx, err := sqlite.Tx(r.Context())
	if err == nil {
		result, err = tx.ExecContext(r.Context(), "UPDATE found SET owner = ? WHERE number = ? AND owner IS NULL", r.PostFormValue("owner"), r.PostFormValue("number"))
	}
	if err != nil {
		http.Error(w, "The desk cannot write at the moment.", http.StatusInternalServerError)
		return
	}
	if changed, err := result.RowsAffected(); err != nil || changed == 0 {
		show(w, r, http.StatusUnprocessableEntity, "Nothing of that number lies here.")
		return
	}
	http.Redirect(w, r, "/thanks", http.StatusSeeOther)
}

func main() {
	store, err := sqlite.Open("desk.db", sqlite.Options{})
	if err != nil {
		log.Fatal(err)
	}
	defer store.Close()
	err = store.Write(context.Background(), func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS found (number INTEGER PRIMARY KEY, what TEXT, place TEXT, owner TEXT)")
		return err
	})
	if err != nil {
		log.Fatal(err)
	}
	for path, handler := range map[string]http.HandlerFunc{"/report": report, "/claim": claim} {
		http.HandleFunc("GET "+path, func(w http.ResponseWriter, r *http.Request) { show(w, r, http.StatusOK, "") })
		http.Handle("POST "+path, once(store.InTransaction(), handler))
	}
	http.HandleFunc("GET /thanks", func(w http.ResponseWriter, r *http.Request) { show(w, r, http.StatusOK, "") })
	http.Handle("GET /{$}", http.RedirectHandler("/report", http.StatusSeeOther))
	fmt.Println("open http://127.0.0.1:8726/")
	log.Fatal(http.ListenAndServe("127.0.0.1:8726", nil))
}
