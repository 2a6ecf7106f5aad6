package try

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"fmt"
	"io"
	"log"
	"math/big"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/elazarl/goproxy"
)

// proxy is the only way out for the browser of the trials. It lets requests through that only read,
// and answers all others itself. Among these are a request that was held when its page went, the
// requests of workers and beacons, and sockets, which an interception inside the browser cannot hold.
type proxy struct {
	server  *http.Server
	address string
	name    string // of the public key that the browser trusts, for --ignore-certificate-errors-spki-list

	mu      sync.Mutex
	hosts   map[string]bool  // those that a document was asked of
	sends   []string         // method and path of what is let through for a sign-in
	failed  map[string]error // by host: why it does not answer
	stopped []string         // method and address of what their pages sent and was stopped, each once
}

// newProxy opens a proxy on a port of its own.
func newProxy(page string, d *Declarations) (*proxy, error) {
	own, err := url.Parse(page)
	if err != nil {
		return nil, err
	}

	authority, name, err := newAuthority()
	if err != nil {
		return nil, err
	}
	w := &proxy{name: name, hosts: map[string]bool{}, failed: map[string]error{}}
	proxy := goproxy.NewProxyHttpServer()
	out := &http.Transport{TLSClientConfig: &tls.Config{RootCAs: d.Certificates, MinVersion: tls.VersionTLS12}, Proxy: http.ProxyFromEnvironment, IdleConnTimeout: time.Minute}
	proxy.Logger = log.New(io.Discard, "", 0)
	inside := &goproxy.ConnectAction{Action: goproxy.ConnectMitm, TLSConfig: goproxy.TLSConfigFromCA(authority)}
	proxy.OnRequest().HandleConnectFunc(func(host string, _ *goproxy.ProxyCtx) (*goproxy.ConnectAction, string) { return inside, host })
	proxy.OnRequest().DoFunc(func(r *http.Request, c *goproxy.ProxyCtx) (*http.Request, *http.Response) {
		c.RoundTripper = goproxy.RoundTripperFunc(func(r *http.Request, _ *goproxy.ProxyCtx) (*http.Response, error) {
			return w.ask(out, r)
		})
		if r.URL.Host == own.Host {
			d.introduce(r)
		}
		if !reads(r) && !w.lets(r, own.Host) {
			w.stop(r)
			return r, taken(r)
		}
		w.meet(r)
		return r, nil
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	w.address = listener.Addr().String()
	w.server = &http.Server{Handler: proxy, ReadHeaderTimeout: 10 * time.Second, ErrorLog: proxy.Logger.(*log.Logger)}
	go func() { _ = w.server.Serve(listener) }()
	return w, nil
}

func (w *proxy) close() { _ = w.server.Close() }

// options are what makes a browser go through the proxy with all that it sends, to this
// machine too.
func (w *proxy) options() []chromedp.ExecAllocatorOption {
	return []chromedp.ExecAllocatorOption{
		chromedp.Flag("proxy-server", "http://"+w.address),
		chromedp.Flag("proxy-bypass-list", "<-loopback>"),
		chromedp.Flag("ignore-certificate-errors-spki-list", w.name),
		chromedp.Flag("force-webrtc-ip-handling-policy", "disable_non_proxied_udp"),
	}
}

// ask asks the real server. Where it does not answer, the reason is remembered.
func (w *proxy) ask(out http.RoundTripper, r *http.Request) (*http.Response, error) {
	answer, err := out.RoundTrip(r)
	w.mu.Lock()
	defer w.mu.Unlock()
	if err == nil {
		delete(w.failed, r.URL.Host)
		return answer, nil
	}
	if r.Context().Err() == nil { // nobody has gone meanwhile
		w.failed[r.URL.Host] = err
	}
	return goproxy.NewResponse(r, "text/plain", http.StatusBadGateway, "The page's server does not answer."), nil
}

// introduce adds what is declared for the page's own host: headers, and a user with a password.
func (d *Declarations) introduce(r *http.Request) {
	for name, value := range d.Headers {
		r.Header.Set(name, value)
	}
	if d.User != "" {
		r.SetBasicAuth(d.User, d.Password)
	}
}

// let sets the requests that a sign-in may send from now on. nil allows none.
func (w *proxy) let(sends []string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.sends = sends
}

// lets reports whether a request is one of the sign-in under way.
func (w *proxy) lets(r *http.Request, host string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return r.URL.Host == host && slices.Contains(w.sends, r.Method+" "+r.URL.Path)
}

// trouble is why a host does not answer, or nil.
func (w *proxy) trouble(page string) error {
	address, err := url.Parse(page)
	if err != nil {
		return err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.failed[address.Host]
}

// meet remembers the host of a document.
func (w *proxy) meet(r *http.Request) {
	if strings.Contains(r.Header.Get("Accept"), "text/html") {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.hosts[r.URL.Host] = true
	}
}

// stop notes a request that was stopped, if a page sent it. A browser makes some requests of its own,
// which are not noted.
func (w *proxy) stop(r *http.Request) {
	what := r.Method + " " + r.URL.Scheme + "://" + r.URL.Host + r.URL.Path
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, name := range []string{"Origin", "Referer"} {
		if from, err := url.Parse(r.Header.Get(name)); err == nil && w.hosts[from.Host] && !slices.Contains(w.stopped, what) {
			w.stopped = append(w.stopped, what)
		}
	}
}

// list returns what was stopped so far.
func (w *proxy) list() []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.Clone(w.stopped)
}

// safe reports whether a method changes nothing (RFC 9110, section 9.2.1). TRACE is left
// out: no page can send it.
func safe(method string) bool {
	return method == http.MethodGet || method == http.MethodHead || method == http.MethodOptions
}

// reads reports whether a request changes nothing: its method is safe, it opens no other protocol, and it does not ask to be taken for another method.
func reads(r *http.Request) bool {
	if !safe(r.Method) {
		return false
	}
	for name := range r.Header {
		if name == "Upgrade" || strings.Contains(name, "Method-Override") || name == "X-Http-Method" {
			return false
		}
	}
	return r.ContentLength == 0 && len(r.TransferEncoding) == 0
}

// taken answers a request that was stopped. It answers as a backend that accepts the request and has
// nothing to say, so that the page goes on.
func taken(r *http.Request) *http.Response {
	answer := goproxy.NewResponse(r, "text/plain", http.StatusNoContent, "")
	if origin := r.Header.Get("Origin"); origin != "" { // Fetch, section "CORS protocol"
		answer.Header.Set("Access-Control-Allow-Origin", origin)
		answer.Header.Set("Access-Control-Allow-Credentials", "true")
	}
	return answer
}

// newAuthority makes a key that lives as long as the proxy, and signs for every host. No
// other browser trusts it.
func newAuthority() (authority *tls.Certificate, name string, err error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, "", err
	}
	own := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "leanwicket try"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(30 * 24 * time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	written, err := x509.CreateCertificate(rand.Reader, own, own, &key.PublicKey, key)
	if err != nil {
		return nil, "", err
	}
	read, err := x509.ParseCertificate(written)
	if err != nil {
		return nil, "", fmt.Errorf("the proxy's own certificate: %w", err)
	}
	sum := sha256.Sum256(read.RawSubjectPublicKeyInfo)
	return &tls.Certificate{Certificate: [][]byte{written}, PrivateKey: key, Leaf: read}, base64.StdEncoding.EncodeToString(sum[:]), nil
}
