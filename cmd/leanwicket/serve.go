package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour/office"
	"leanwicket.dev/ledger"
	"leanwicket.dev/replies"
)

func serveCommand() *cobra.Command {
	var listen, keys, data string
	c := &cobra.Command{
		Use:   "serve [FORM]",
		Short: "Serve the harbour office, or a form as a page that works without script",
		Long: `Serves the demo as a small real application: the forms of the harbour office of
Saltmarsh Quay over an SQLite file, with a panel that turns delays, refusals, lost
replies, outages and expired sign-ins on. Without --data the file is
temporary: it is removed at the end.

With a form it serves that, with a backend that stands in for yours: it gives each
record a number, and answers a repeat with the first one's answer.

Logs go to standard error, without what anybody typed. /healthz answers ok, /metrics
in the Prometheus text format. It stops at an interrupt, after the requests that are
under way.`,
		Example: `  leanwicket serve
  leanwicket serve --data office.db
  leanwicket serve mooring.form.yaml --listen 127.0.0.1:8080 --ledger redis://127.0.0.1:6379`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			log := slog.New(slog.NewTextHandler(c.ErrOrStderr(), nil))
			store, end, err := openLedger(c.Context(), keys)
			if err != nil {
				return err
			}
			defer end()
			handler, name, stop, err := served(args, data, store, log)
			if err != nil {
				return err
			}
			defer stop()
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("%w; right would be a free address such as --listen 127.0.0.1:0", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is at http://%s/\n", name, listener.Addr())
			return serve(listener, observed(handler, log))
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8717", "address and port")
	c.Flags().StringVar(&keys, "ledger", "", "what remembers the submission keys: sqlite:FILE, postgres:URL, redis:URL or memory (default: the office's own file; of a form memory)")
	c.Flags().StringVar(&data, "data", "", "the office's SQLite file (default: a new one)")
	return c
}

// served is the handler of the office or of a form, and what ends it.
func served(args []string, data string, store ledger.Store, log *slog.Logger) (http.Handler, string, func(), error) {
	if len(args) > 0 {
		if data != "" {
			return nil, "", nil, errors.New("--data is the harbour office's file: a form is served with a backend that keeps nothing; right would be to leave one of the two out")
		}
		source, err := declare.Open(args[0])
		if err != nil {
			return nil, "", nil, err
		}
		page, err := formhttp.New(source.Form, source, formhttp.Options{Submit: standIn(log), Ledger: store, Log: log})
		if err != nil {
			return nil, "", nil, err
		}
		mux := http.NewServeMux()
		mux.Handle("/{$}", page)
		return mux, source.Form.Name, func() {}, nil
	}
	remove := func() {}
	if data == "" {
		dir, err := os.MkdirTemp("", "leanwicket-office-")
		if err != nil {
			return nil, "", nil, err
		}
		remove = func() { _ = os.RemoveAll(dir) }
		data = filepath.Join(dir, "office.db")
	}
	o, err := office.Open(data, office.Options{Ledger: store, Log: log})
	if err != nil {
		remove()
		return nil, "", nil, err
	}
	return o, "the harbour office", func() {
		if err := o.Close(); err != nil {
			log.Error("the office did not end well", "error", err)
		}
		remove()
	}, nil
}

// serve answers until an interrupt, then finishes what is under way.
func serve(listener net.Listener, handler http.Handler) error {
	server := &http.Server{
		Handler: handler, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: time.Minute, WriteTimeout: 2 * time.Minute, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10,
	}
	interrupted, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(listener) }()
	select {
	case err := <-failed:
		return err
	case <-interrupted.Done():
		finish, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		return server.Shutdown(finish)
	}
}

// standIn is a backend that accepts everything.
func standIn(log *slog.Logger) func(context.Context, formhttp.Submission) (replies.Response, error) {
	var count atomic.Int64
	return func(_ context.Context, s formhttp.Submission) (replies.Response, error) {
		id := "R-" + strconv.FormatInt(count.Add(1), 10)
		log.Info("received", "id", id, "button", s.Button, "bytes", len(s.Body))
		return replies.Response{Status: cmp.Or(map[string]int{http.MethodPost: http.StatusCreated}[s.Form.Submit.Method], http.StatusOK), Body: map[string]any{"id": id}}, nil
	}
}
