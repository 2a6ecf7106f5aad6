// Package chromium finds and starts the browser that tests and trials drive.
package chromium

import (
	"os/exec"
	"time"

	"github.com/chromedp/chromedp"
)

// Find finds Chromium on the path, or nothing. Its headless shell, the same engine without
// the browser's own windows, opens a page for an eighth of the work and comes first, but not
// where the whole browser is wanted.
func Find(whole bool) string {
	names := []string{"chromium", "chromium-browser", "google-chrome"}
	if !whole { // Debian's script starts it as a child: who kills the script leaves the browser running
		names = append([]string{"/usr/lib/chromium/chromium-headless-shell", "chromium-headless-shell"}, names...)
	}
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}

// Options start a program with an empty profile in a folder; visible: with a window.
func Options(program, profile string, visible bool) []chromedp.ExecAllocatorOption {
	options := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(program), chromedp.NoSandbox, chromedp.DisableGPU, chromedp.UserDataDir(profile), chromedp.WSURLReadTimeout(time.Minute),
		chromedp.Flag("headless", "new"), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true),
		// Without these each window would run two pages of the browser's own address bar.
		chromedp.Flag("disable-features", "Translate,WebUIOmniboxPopup,WebUIOmniboxFullPopup,WebUIOmniboxAimPopup"),
	)
	if visible {
		options = append(options, chromedp.Flag("headless", false))
	}
	return options
}
