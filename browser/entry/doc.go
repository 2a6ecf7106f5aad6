// Package entry runs sessions in a browser. It is the core's side of a page: a
// script (browser/script) listens to the controls and makes what is told
// here visible; each event crosses the border between the two once, and brings
// back as one text all that changed.
//
//	func main() { entry.Serve() } // with GOOS=js GOARCH=wasm: what the bundle carries
package entry
