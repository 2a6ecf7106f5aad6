// The core as the standard compiler builds it for a browser, with GOOS=js GOARCH=wasm: what
// the small one is compared with.
package main

import _ "leanwicket.dev/browser/entry"

func main() { select {} }
