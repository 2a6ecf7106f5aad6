package main

import (
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
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/replies"
)

func serveCommand() *cobra.Command {
	var listen, keys, data string
	var finish time.Duration
	c := &cobra.Command{
		Use:   "serve [FORM]",
		Short: "Serve the harbour office, or a form as a page that works without script",
		Long: `Serves the demo as a small real application: the forms of the harbour office of
Saltmarsh Quay over an SQLite file, with a panel that turns delays, refusals, lost
replies, outages and expired sign-ins on. Without --data the file is
temporary: it is removed at the end.

With a form it serves that, with a backend that stands in for yours: it gives each
record a number, and answers a repeat with the first one's answer.

Logs go to standard error, without what anybody typed. /healthz answers ok while the
process lives, /readyz while the ledger can be read, /metrics in the Prometheus text
format. It stops at an interrupt, after the requests that are under way.`,
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
			site, err := served(args, data, store, log)
			if err != nil {
				return err
			}
			defer site.end()
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("%w; right would be a free address such as --listen 127.0.0.1:0", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is at http://%s/\n", site.name, listener.Addr())
			return serve(listener, observed(site.handler, site.ready, log), finish)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8717", "address and port")
	c.Flags().StringVar(&keys, "ledger", "", "what remembers the submission keys: sqlite:FILE, postgres:URL, redis:URL or memory (default: the office's own file; of a form memory)")
	c.Flags().DurationVar(&finish, "finish", 10*time.Second, "how long the requests that are under way have when it stops")
	c.Flags().StringVar(&data, "data", "", "the office's SQLite file (default: a new one)")
	return c
}

// site is what is served.
type site struct {
	handler http.Handler
	name    string
	ready   func(context.Context) error
	end     func()
}

// served is the office, or a form.
func served(args []string, data string, store ledger.Store, log *slog.Logger) (site, error) {
	if len(args) > 0 {
		if data != "" {
			return site{}, errors.New("--data is the harbour office's file: a form is served with a backend that keeps nothing; right would be to leave one of the two out")
		}
		source, err := declare.Open(args[0])
		if err != nil {
			return site{}, err
		}
		if store == nil {
			store = memory.New(24 * time.Hour)
		}
		page, err := formhttp.New(source.Form, source, formhttp.Options{Submit: standIn(log), Ledger: store, Log: log})
		if err != nil {
			return site{}, err
		}
		mux := http.NewServeMux()
		mux.Handle("/{$}", page)
		ready := func(ctx context.Context) error { return ledger.Ready(ctx, store) }
		return site{mux, source.Form.Name, ready, func() {}}, nil
	}
	remove := func() {}
	if data == "" {
		dir, err := os.MkdirTemp("", "leanwicket-office-")
		if err != nil {
			return site{}, err
		}
		remove = func() { _ = os.RemoveAll(dir) }
		data = filepath.Join(dir, "office.db")
	}
	o, err := office.Open(data, office.Options{Ledger: store, Log: log})
	if err != nil {
		remove()
		return site{}, err
	}
	return site{o, "the harbour office", o.Ready, func() {
		if err := o.Close(); err != nil {
			log.Error("the office did not end well", "error", err)
		}
		remove()
	}}, nil
}

// serve answers until an interrupt, then finishes what is under way.
func serve(listener net.Listener, handler http.Handler, finish time.Duration) error {
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
		limited, cancel := context.WithTimeout(context.Background(), finish)
		defer cancel()
		return server.Shutdown(limited)
	}
}

// standIn is a backend that accepts everything.
func standIn(log *slog.Logger) func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
	var count atomic.Int64
	return func(_ context.Context, s formhttp.Submission) (formhttp.Answer, error) {
		id := "R-" + strconv.FormatInt(count.Add(1), 10)
		log.Info("received", "id", id, "button", s.Button, "bytes", len(s.Body))
		accepted := replies.Accepting(s.Form, map[string]any{"id": id})
		return formhttp.Answer{Status: accepted.Status, Body: accepted.Body}, nil
	}
}
