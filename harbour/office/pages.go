package office

import (
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/internal/palette"
)

//go:embed pages.html
var pagesText string

//go:embed pages.css
var pagesRules string

//go:embed icon.svg
var icon []byte

var (
	pagesStyle = palette.CSS() + pagesRules
	pages      = template.Must(template.New("").Parse(pagesText))
	pagesHash  = sha256.Sum256([]byte(pagesStyle))
	pagePolicy = "default-src 'none'; style-src 'sha256-" + base64.StdEncoding.EncodeToString(pagesHash[:]) + "'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)

func (o *Office) show(w http.ResponseWriter, page string, view any) {
	var text strings.Builder
	if err := pages.ExecuteTemplate(&text, page, map[string]any{"Style": template.CSS(pagesStyle), "View": view}); err != nil {
		o.log.Error("a page cannot be rendered", "page", page, "error", err)
		writeJSON(w, problem(http.StatusInternalServerError, "The page cannot be shown."))
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", pagePolicy)
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write([]byte(text.String()))
}

type link struct{ To, Plain, Live, Text string }

// permitRow is a permit as the first page lists it.
type permitRow struct{ Number, Button, Vessel, Arrival, Departure, Berth string }

// index lists the forms, and what the account has.
func (o *Office) index(w http.ResponseWriter, r *http.Request) {
	var view struct {
		Forms   []link
		Permits []permitRow
	}
	for _, source := range o.forms {
		name := strings.TrimSuffix(source.File, ".form.yaml")
		view.Forms = append(view.Forms, link{"/forms/" + name, "/plain/" + name, "/live/" + name, source.Form.Title})
	}
	rows, err := o.read.QueryContext(r.Context(), "SELECT number, button, vessel, arrival, departure, berth FROM permits WHERE account = ? ORDER BY number DESC LIMIT 50", account(r))
	if err == nil {
		defer rows.Close()
		for rows.Next() {
			var p permitRow
			var number int
			if err = rows.Scan(&number, &p.Button, &p.Vessel, &p.Arrival, &p.Departure, &p.Berth); err != nil {
				break
			}
			p.Number = fmt.Sprintf("P-%04d", number)
			view.Permits = append(view.Permits, p)
		}
		if err == nil {
			err = rows.Err()
		}
	}
	if err != nil {
		o.log.Error("the permits cannot be listed", "error", err)
	}
	o.show(w, "index", view)
}

// shown shows one row of a table to the account whose it is.
func (o *Office) shown(table, prefix string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		name := r.PathValue("number")
		number, err := strconv.Atoi(strings.TrimPrefix(name, prefix))
		var body string
		if err == nil {
			err = o.read.QueryRowContext(r.Context(), "SELECT body FROM "+table+" WHERE number = ? AND account = ?", number, account(r)).Scan(&body)
		}
		if err != nil {
			writeJSON(w, problem(http.StatusNotFound, "There is no "+name+"."))
			return
		}
		o.show(w, "record", map[string]string{"Name": name, "Body": body})
	}
}

type panelRow struct {
	Kind, Label, Does string
	Delay             time.Duration
	Times             int
}

var kindLabels = map[string]string{"load": "Loading a record", "check": "Checking a field", "submit": "Submitting"}

// panel shows what is turned on, and what came last.
func (o *Office) panel(w http.ResponseWriter, r *http.Request) {
	view := struct {
		Rows     []panelRow
		Troubles []string
		Recent   []request
		Permits  int
		Said     string
	}{Troubles: troubles, Recent: o.recent.list(), Said: r.URL.Query().Get("said")}
	for _, kind := range requestKinds {
		f := o.faults.now(kind)
		if f.Does == "" {
			f.Does = asUsual
		}
		view.Rows = append(view.Rows, panelRow{kind, kindLabels[kind], f.Does, f.Delay, f.Times})
	}
	if err := o.read.QueryRowContext(r.Context(), "SELECT count(*) FROM permits").Scan(&view.Permits); err != nil {
		o.log.Error("the permits cannot be counted", "error", err)
	}
	o.show(w, "panel", view)
}

// setPanel turns trouble on and off.
func (o *Office) setPanel(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	if err := r.ParseForm(); err != nil {
		writeJSON(w, problem(http.StatusBadRequest, err.Error()))
		return
	}
	set := map[string]Fault{}
	for _, kind := range requestKinds {
		if r.PostForm.Has("usual") {
			set[kind] = Fault{}
			continue
		}
		delay := strings.TrimSpace(r.PostForm.Get(kind + "-delay"))
		if delay == "" {
			delay = "0s"
		}
		fault, err := ParseFault(r.PostForm.Get(kind+"-does") + "; delay=" + delay)
		if err == nil {
			fault.Times, err = strconv.Atoi("0" + strings.TrimSpace(r.PostForm.Get(kind+"-times")))
		}
		if err != nil {
			writeJSON(w, problem(http.StatusUnprocessableEntity, kindLabels[kind]+": "+err.Error()))
			return
		}
		set[kind] = fault
	}
	for kind, fault := range set {
		o.faults.set(kind, fault)
	}
	http.Redirect(w, r, "/panel?said=set", http.StatusSeeOther)
}

// request is one that was answered, or not.
type request struct {
	At, Method, Path, Kind, Key, Fault string
	Status                             string
}

// recent keeps the newest requests.
type recent struct {
	mu  sync.Mutex
	all []request
}

const keptRequests = 20

func (l *recent) add(r *http.Request, kind, key string, f Fault, status int) {
	entry := request{
		At: time.Now().Format("15:04:05.000"), Method: r.Method, Path: r.URL.Path, Kind: kind,
		Key: key[:min(8, len(key))], Status: strconv.Itoa(status),
	}
	if status == 0 {
		entry.Status = "none"
	}
	if f.Does != asUsual {
		entry.Fault = f.Does
	}
	if f.Delay > 0 {
		entry.Fault = strings.TrimSpace(entry.Fault + " after " + f.Delay.String())
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all = append([]request{entry}, l.all[:min(len(l.all), keptRequests-1)]...)
}

func (l *recent) list() []request {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]request(nil), l.all...)
}
