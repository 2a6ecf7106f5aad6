package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"

	"leanwicket.dev/internal/document"
)

// settled is how long the files have to be quiet before they are played again:
// an editor writes in several steps.
const settled = 100 * time.Millisecond

// playAgainAndAgain plays, and plays again when something beside the files
// changes, until it is interrupted.
func (p *player) playAgainAndAgain(ctx context.Context, args []string) error {
	if ctx == nil {
		ctx = context.Background()
	}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt)
	defer stop()
	watcher, err := fsnotify.NewWatcher()
	if err != nil {
		return err
	}
	defer watcher.Close()
	for {
		files, err := document.Find(args, "scenario")
		if watchErr := watchFolders(watcher, append(files, args...)); watchErr != nil {
			return watchErr
		}
		if err == nil {
			err = p.play(files)
		}
		if err != nil && !errors.Is(err, errNo) {
			fmt.Fprintln(p.errs, err)
		}
		fmt.Fprintln(p.out, "\nwaiting for a change (Ctrl-C ends)")
		if !waitForChange(ctx, watcher) {
			return nil
		}
		fmt.Fprintln(p.out)
	}
}

// watchFolders watches the folders of files, because an editor may replace a file by
// another of its name.
func watchFolders(watcher *fsnotify.Watcher, names []string) error {
	for _, name := range names {
		if info, err := os.Stat(name); err != nil || !info.IsDir() {
			name = filepath.Dir(name)
		}
		if err := watcher.Add(name); err != nil {
			return fmt.Errorf("%s: cannot be watched: %w", name, err)
		}
	}
	return nil
}

// waitForChange returns true once a form, schema or scenario has changed and the
// files are quiet again. It returns false when it was interrupted.
func waitForChange(ctx context.Context, watcher *fsnotify.Watcher) bool {
	var quiet <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return false
		case <-quiet:
			return true
		case event, ok := <-watcher.Events:
			if !ok {
				return false
			}
			switch strings.ToLower(filepath.Ext(event.Name)) {
			case ".yaml", ".yml", ".json":
				if !event.Has(fsnotify.Chmod) {
					quiet = time.After(settled)
				}
			}
		case <-watcher.Errors:
		}
	}
}
