package office

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"net/http"
	"strconv"

	"leanwicket.dev/formhttp"
)

// firstRecords is what an account has before it has changed anything.
var firstRecords = map[string]string{
	"/registry/contact": `{"name": "Ada Fenwick", "phone": "0100 200", "channel": "letter", "notices": ["tides"]}`,
	"/registry/vessel":  `{"name": "Egret", "owner": "Ada Fenwick", "draught": 1.35, "vessel": {"name": "Egret", "length": 9.4}}`,
	"/plans/7":          `{"season": "summer", "stays": [{"vessel": "Egret", "from": "2031-05-02", "to": "2031-05-09", "shorePower": true, "amperage": 16}]}`,
}

// rower reads one row. A transaction and the database are rowers.
type rower interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// saved reads an account's record and its version.
func saved(ctx context.Context, from rower, account, path string) (body string, version int, err error) {
	err = from.QueryRowContext(ctx, "SELECT body, version FROM records WHERE account = ? AND path = ?", account, path).Scan(&body, &version)
	if errors.Is(err, sql.ErrNoRows) {
		return firstRecords[path], 1, nil
	}
	return body, version, err
}

func entityTag(version int) string { return `"` + strconv.Itoa(version) + `"` }

// errTrouble is a load that fails because that is turned on.
var errTrouble = errors.New("trouble is turned on")

// load reads a record for a page.
func (o *Office) load(ctx context.Context, account, path string) (map[string]any, string, error) {
	if _, refused := trouble(ctx).response(); refused {
		return nil, "", errTrouble
	}
	body, version, err := saved(ctx, o.read, account, path)
	if err != nil || body == "" {
		return nil, "", err
	}
	var record map[string]any
	err = json.Unmarshal([]byte(body), &record)
	return record, entityTag(version), err
}

// record answers with a record as JSON.
func (o *Office) record(w http.ResponseWriter, r *http.Request) {
	if response, refused := trouble(r.Context()).response(); refused {
		writeJSON(w, response)
		return
	}
	record, version, err := o.load(r.Context(), account(r), r.URL.Path)
	if err != nil {
		o.log.Error("a record cannot be read", "path", r.URL.Path, "error", err)
		writeJSON(w, problem(http.StatusInternalServerError, "The registry cannot be read."))
		return
	}
	writeJSON(w, formhttp.Answer{Status: http.StatusOK, Header: http.Header{"ETag": {version}}, Body: record})
}

// replace saves a record over the version that it is based on.
func replace(ctx context.Context, tx *sql.Tx, s formhttp.Submission) (formhttp.Answer, error) {
	path := s.Form.Submit.URL
	body, version, err := saved(ctx, tx, account(s.Request), path)
	if err != nil {
		return formhttp.Answer{}, err
	}
	if s.Version != "" && s.Version != entityTag(version) {
		return problem(http.StatusPreconditionFailed, "The record has been changed elsewhere."), nil
	}
	var before, sent map[string]any
	if err := errors.Join(json.Unmarshal([]byte(body), &before), s.Decode(&sent)); err != nil {
		return formhttp.Answer{}, err
	}
	after := sent
	if s.Form.Submit.Method == http.MethodPatch {
		after = merged(before, sent)
	} else if berth, ok := before["vessel"]; ok {
		after["vessel"] = berth // the registry's own
	}
	text, err := json.Marshal(after)
	if err != nil {
		return formhttp.Answer{}, err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO records (account, path, version, body) VALUES (?, ?, ?, ?) ON CONFLICT DO UPDATE SET version = excluded.version, body = excluded.body",
		account(s.Request), path, version+1, string(text))
	return formhttp.Answer{Status: http.StatusOK, Header: http.Header{"ETag": {entityTag(version + 1)}}, Body: after}, err
}

// merged applies a merge patch (RFC 7396, section 2).
func merged(target, patch map[string]any) map[string]any {
	if target == nil {
		target = map[string]any{}
	}
	for name, value := range patch {
		switch value := value.(type) {
		case nil:
			delete(target, name)
		case map[string]any:
			below, _ := target[name].(map[string]any)
			target[name] = merged(below, value)
		default:
			target[name] = value
		}
	}
	return target
}
