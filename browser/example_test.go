//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"

	"leanwicket.dev/browser"
)

// The handler serves the script and the core. A page loads the script alone.
func ExampleHandler() {
	http.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	answer := httptest.NewRecorder()
	http.DefaultServeMux.ServeHTTP(answer, httptest.NewRequest(http.MethodGet, "/leanwicket/leanwicket.js", nil))
	fmt.Println(answer.Code, answer.Header().Get("Content-Type"))
	// Output:
	// 200 text/javascript; charset=utf-8
}
