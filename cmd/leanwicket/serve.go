package main

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour"
	"leanwicket.dev/replies"
)

func serveCommand() *cobra.Command {
	var listen string
	c := &cobra.Command{
		Use:   "serve [FORM]",
		Short: "Serve a form as a page that works without script",
		Long: `Serves a form with a backend that stands in for yours: it keeps what it receives in
memory, gives each record a number, and answers a repeat with the first one's
answer. Without a form, the mooring permit of the demo. It stops at an interrupt,
after the requests that are under way.`,
		Example: `  leanwicket serve
  leanwicket serve mooring.form.yaml --listen 127.0.0.1:8080`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			source, err := servedForm(args)
			if err != nil {
				return err
			}
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("%w; right would be a free address such as --listen 127.0.0.1:0", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is at http://%s/\n", source.Form.Name, listener.Addr())
			return serve(listener, source)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8717", "address and port")
	return c
}

func servedForm(args []string) (*declare.Source, error) {
	if len(args) == 0 {
		return declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	}
	return declare.Open(args[0])
}

// serve answers until an interrupt, then finishes what is under way.
func serve(listener net.Listener, source *declare.Source) error {
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	mux := http.NewServeMux()
	mux.Handle("/{$}", formhttp.New(source, formhttp.Options{Submit: standIn(log), Log: log}))
	mux.HandleFunc("/healthz", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "ok") })
	server := &http.Server{
		Handler: mux, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: time.Minute, WriteTimeout: time.Minute, IdleTimeout: 2 * time.Minute,
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
	var mu sync.Mutex
	count := 0
	return func(_ context.Context, s formhttp.Submission) (replies.Response, error) {
		mu.Lock()
		defer mu.Unlock()
		count++
		id := "R-" + strconv.Itoa(count)
		log.Info("received", "id", id, "button", s.Button, "bytes", len(s.Body))
		return replies.Response{Status: http.StatusCreated, Body: map[string]any{"id": id}}, nil
	}
}
