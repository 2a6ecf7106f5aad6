// A form whose slips are kept in PostgreSQL, served by as many processes as you like: each is
// given the same DATABASE_URL and an address of its own, 127.0.0.1:8724 unless it is told another.
package main

import (
	"context"
	"errors"
	"fmt"
	"log"
	"net/http"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/postgres"
)

// Slip is one boat that goes up the slipway.
type Slip struct {
	Vessel string `json:"vessel" label:"Vessel" form:"required; minLength=2"`
	Day    string `json:"day" label:"Day" form:"required; format=date"`
}

// book inserts a slip. A second boat on the same day is refused: the answer is kept, and the
// statement that has failed leaves nothing.
func book(ctx context.Context, s formhttp.Submission) (formhttp.Answer, error) {
	var slip Slip
	if err := s.Decode(&slip); err != nil {
		return formhttp.Answer{}, err
	}
	var number int
	err := postgres.Tx(ctx).QueryRow(ctx, "INSERT INTO slips (vessel, day) VALUES ($1, $2) RETURNING number", slip.Vessel, slip.Day).Scan(&number)
	var failed *pgconn.PgError
	if errors.As(err, &failed) && failed.Code == "23505" { // unique_violation
		return formhttp.Answer{}, formhttp.Wrong{"day": "The slipway is taken on that day."}
	}
	return formhttp.Answer{Status: 201, Body: map[string]any{"number": number}}, err
}

func run(ctx context.Context, address string) error {
	form, err := declare.FromStruct[Slip]("form: slip\ntitle: The slipway of Saltmarsh Quay\nsubmit: {url: /, buttons: [book]}\naccepted: {say: The slipway is yours.}\n")
	if err != nil {
		return err
	}
	pool, err := pgxpool.New(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer pool.Close()
	// Two processes may begin at once, and IF NOT EXISTS does not wait.
	if _, err := pool.Exec(ctx, "BEGIN; SELECT pg_advisory_xact_lock(7); CREATE TABLE IF NOT EXISTS slips (number integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY, vessel text, day date UNIQUE); COMMIT"); err != nil {
		return err
	}
	store, err := postgres.New(ctx, pool, postgres.Options{})
	if err != nil {
		return err
	}
	page, err := formhttp.New(form.Form, form, formhttp.Options{Submit: book, Ledger: store.InTransaction()})
	if err != nil {
		return err
	}
	mux := http.NewServeMux()
	mux.Handle("/{$}", page)
	mux.HandleFunc("GET /readyz", func(w http.ResponseWriter, r *http.Request) {
		if err := ledger.Ready(r.Context(), store); err != nil {
			http.Error(w, "the ledger cannot be read", http.StatusServiceUnavailable)
		}
	})
	server := &http.Server{Addr: address, Handler: mux, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: time.Minute, WriteTimeout: time.Minute}
	go func() {
		<-ctx.Done()
		finish, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		_ = server.Shutdown(finish)
	}()
	fmt.Printf("open http://%s/\n", address)
	if err := server.ListenAndServe(); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

func main() {
	address := "127.0.0.1:8724"
	if len(os.Args) > 1 {
		address = os.Args[1]
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, address); err != nil {
		log.Fatal(err)
	}
}
