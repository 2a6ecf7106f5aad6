package formhttp

import (
	"bytes"
	"cmp"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/ledger"
	"leanwicket.dev/lifecycle"
)

// A request is what a client asks for, and whose it is.
type request struct {
	*http.Request
	json  bool // the client speaks JSON and no HTML
	began time.Time

	principal func() string
}

func (h *Handler) asks(r *http.Request) *request {
	return &request{Request: r, json: wantsJSON(r), began: time.Now(), principal: sync.OnceValue(func() string {
		if h.o.Principal == nil {
			return ""
		}
		return h.o.Principal(r)
	})}
}

// account is the digest of a request's account; empty where there is none.
func (h *Handler) account(q *request) string {
	principal := q.principal()
	if principal == "" {
		return ""
	}
	return h.digest("account", principal)
}

// digest names something on a page, so that nobody can tell from it what that is.
func (h *Handler) digest(of, text string) string {
	digest := hmac.New(sha256.New, h.secret)
	digest.Write([]byte("leanwicket " + of + " " + text))
	return base64.RawURLEncoding.EncodeToString(digest.Sum(nil)[:16])
}

// sent is what a submission carries.
type sent struct {
	key, version, button string
	account              string           // the digest of whose work it is; empty means that it is not said
	values               []typed          // in the order of their places
	rows                 map[string]int   // by group: how many
	change               *lifecycle.Event // a row is added or removed; nothing is submitted
	whole, patch         bool             // as JSON: a whole record, or a merge patch (RFC 7396)
	json                 bool
	canonical            bool           // a form whose values a script has written, and nobody has typed
	beyond               []member       // of a JSON body: what the form does not have
	contested            []string       // of a page: the answers that the applicant has to choose about
	wrong                []problemEntry // what cannot be taken for an answer of its field at all
}

// typed is the value of one control, as typed; several are lines.
type typed struct {
	form.Place
	name, raw string
}

func byPlace(a, b typed) int { return comparePlaces(a.Place, b.Place) }

func comparePlaces(a, b form.Place) int {
	return cmp.Or(cmp.Compare(a.Field, b.Field), cmp.Compare(a.Row, b.Row))
}

// at is what was sent for a field.
func (s *sent) at(place form.Place) (raw string, given bool) {
	k, given := slices.BinarySearchFunc(s.values, place, func(t typed, place form.Place) int { return comparePlaces(t.Place, place) })
	if given {
		raw = s.values[k].raw
	}
	return raw, given
}

var errTooMany = errors.New("too many fields")

// read reads a request's body: urlencoded, multipart or JSON.
func (h *Handler) read(r *http.Request) (*sent, error) {
	kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil {
		return nil, errors.New("the request says no Content-Type")
	}
	s := &sent{json: strings.HasSuffix(kind, "json"), key: r.Header.Get("Idempotency-Key"), version: r.Header.Get("If-Match"), account: r.Header.Get(markup.AccountHeader), rows: map[string]int{}}
	switch kind {
	case "application/json", "application/merge-patch+json":
		err := h.readJSON(r, s)
		slices.SortFunc(s.values, byPlace)
		return s, err
	case "application/x-www-form-urlencoded":
		text, err := io.ReadAll(r.Body)
		if err != nil {
			return nil, err
		}
		if bytes.Count(text, []byte("&")) >= h.o.MaxFields { // before anything is made of them
			return nil, errTooMany
		}
		if r.PostForm, err = url.ParseQuery(string(text)); err != nil {
			return nil, err
		}
	case "multipart/form-data":
		if err := r.ParseMultipartForm(4 << 20); err != nil {
			return nil, err
		}
		for name, files := range r.MultipartForm.File {
			for _, f := range files {
				if f.Filename != "" {
					r.PostForm.Add(name, f.Filename)
				}
			}
		}
	default:
		return nil, fmt.Errorf("found Content-Type %q; right would be application/x-www-form-urlencoded, multipart/form-data or application/json", kind)
	}
	s.button = r.Header.Get(markup.ButtonHeader) // no browser sends it by itself
	s.canonical = s.button != ""
	if err := h.readForm(r.PostForm, s); err != nil {
		return nil, err
	}
	slices.SortFunc(s.values, byPlace)
	h.checkRows(s)
	return s, nil
}

func (h *Handler) readForm(posted url.Values, s *sent) error {
	count := 0
	for name, values := range posted {
		if count += len(values); count > h.o.MaxFields {
			return errTooMany
		}
		place, known := h.form.Lookup(name)
		if markup.Own(name) || !known {
			continue
		}
		field := &h.form.Fields[place.Field]
		wrong := func(what string) {
			s.wrong = append(s.wrong, problemEntry{"#/" + name, "badInput", cmp.Or(field.Label, name) + what})
		}
		switch n, err := strconv.Atoi(values[0]); {
		case field.Kind == form.KindRows && place.Row >= 0:
		case len(values) > 1 && field.Kind != form.KindChoices:
			wrong(fmt.Sprintf(" was sent %d times, and takes one answer.", len(values)))
		case field.Kind != form.KindRows:
			raw := strings.ReplaceAll(strings.Join(values, "\n"), "\r\n", "\n") // a browser sends CRLF
			if number, is := form.NumberFromText(raw); is && s.canonical && (field.Kind == form.KindNumber || field.Kind == form.KindInteger) {
				raw = h.form.Format(number) // as it would be typed
			}
			s.values = append(s.values, typed{place, name, raw})
		case err != nil || n < 0 || n > maxRows:
			wrong(fmt.Sprintf(" has %.20q rows, and can have 0 to %d.", values[0], maxRows))
		default:
			s.rows[name] = n
		}
	}
	h.readMarks(posted[markup.Row], s)
	s.key = cmp.Or(s.key, posted.Get(markup.Key))
	s.version = cmp.Or(s.version, posted.Get(markup.Version))
	s.account = cmp.Or(s.account, posted.Get(markup.Account))
	s.button = cmp.Or(posted.Get(markup.Button), s.button)
	s.contested = posted[markup.Contested]
	for name, event := range map[string]func(value string) lifecycle.Event{
		markup.Add:    lifecycle.AddRow,
		markup.Move:   func(value string) lifecycle.Event { return lifecycle.MoveRow(markup.MoveOf(value)) },
		markup.Remove: lifecycle.RemoveRow,
		markup.Mine:   func(path string) lifecycle.Event { return lifecycle.Resolve(path, lifecycle.ChooseMine) },
		markup.Theirs: func(path string) lifecycle.Event { return lifecycle.Resolve(path, lifecycle.ChooseTheirs) },
	} {
		if value := posted.Get(name); value != "" {
			e := event(value)
			s.change = &e
		}
	}
	return nil
}

// unreadable is the outcome of a body that cannot be read. Nothing is loaded for it.
func (h *Handler) unreadable(err error) outcome {
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return h.refusal(http.StatusRequestEntityTooLarge, form.MessageTooLarge, "limit", strconv.FormatInt(h.o.MaxBody>>10, 10)+" KiB")
	case errors.Is(err, errTooMany):
		return h.refusal(http.StatusRequestEntityTooLarge, form.MessageTooMany)
	}
	return h.refusal(http.StatusBadRequest, form.MessageUnreadable, "why", err.Error())
}

// checkRows refuses answers of rows that the number of rows does not count: they would be dropped.
func (h *Handler) checkRows(s *sent) {
	told := map[form.FieldID]bool{}
	for _, value := range s.values {
		group, inRows := h.form.Group(value.Field)
		if !inRows || told[group] {
			continue
		}
		head := &h.form.Fields[group]
		switch rows, counted := s.rows[head.Path]; {
		case !counted:
			s.wrong = append(s.wrong, problemEntry{"#/" + head.Path, "badInput", head.Label + " was sent without the number of its rows."})
		case int(value.Row) >= rows:
			s.wrong = append(s.wrong, problemEntry{"#/" + head.Path, "badInput", fmt.Sprintf("%s was sent with more rows than the %d that are counted.", head.Label, rows)})
		default:
			continue
		}
		told[group] = true
	}
}

// withoutEmptyRows leaves out rows at the end of each group of which nothing was sent:
// whoever is turned away gets back what was typed, and a short request no long page.
func (h *Handler) withoutEmptyRows(s *sent) {
	used := map[string]int{}
	for _, value := range s.values {
		if group, inRows := h.form.Group(value.Field); inRows {
			path := h.form.Fields[group].Path
			used[path] = max(used[path], int(value.Row)+1)
		}
	}
	for group, count := range s.rows {
		s.rows[group] = min(count, used[group])
	}
}

// reservation is of what the request says, not of what it means for a record
// that may change before it is repeated.
func (h *Handler) reservation(q *request, key string, s *sent) ledger.Reservation {
	route := q.Method + " " + q.URL.Path
	said := make([]byte, 0, 512)
	say := func(texts ...string) {
		for _, text := range texts {
			said = append(binary.AppendUvarint(said, uint64(len(text))), text...)
		}
	}
	say(route, s.button, s.version)
	for _, group := range slices.Sorted(maps.Keys(s.rows)) {
		say(group)
		said = binary.AppendUvarint(said, uint64(s.rows[group]))
	}
	for _, value := range s.values {
		say(value.name, value.raw)
	}
	return ledger.Reservation{Key: ledger.Key{Principal: q.principal(), Route: route, Key: key}, Fingerprint: sha256.Sum256(said)}
}

// lacksKey is why a submission without a key is not worked on, where it is not. A page always has one.
func (h *Handler) lacksKey(s *sent) (why form.MessageID, lacks bool) {
	switch {
	case s.key != "" || s.json && h.o.KeylessJSON:
		return 0, false
	case s.json:
		return form.MessageNoKey, true
	default:
		return form.MessageNoKeyOnPage, true
	}
}

// goodKey reports whether a key can be kept.
func goodKey(key string) bool {
	return len(key) <= 255 && !strings.ContainsFunc(key, func(c rune) bool { return c <= ' ' || c > '~' })
}

// isOthers reports whether a page that was opened by one account is sent by another. It
// can tell only where all processes make the same digests.
func (h *Handler) isOthers(q *request, s *sent) bool {
	return h.o.Secret != nil && s.account != "" && s.account != h.account(q)
}
