//go:build js

// The program that the bundle carries: the core in a browser.
package main

import "leanwicket.dev/browser/entry"

func main() { entry.Serve() }
