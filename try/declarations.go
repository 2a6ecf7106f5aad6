package try

import (
	"crypto/x509"
	_ "embed"
	"errors"
	"io/fs"
	"path/filepath"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// FileSchema is the JSON Schema of try files.
//
//go:embed try.schema.json
var FileSchema []byte

// Declarations say how a page is reached and operated, and how its requests are answered. They are
// the content of NAME.try.yaml beside the form file. The zero value says nothing.
type Declarations struct {
	Page     string // an address, or a folder or file
	Start    string // of a folder: the path that is opened first
	Fallback string // of a folder: the file that answers a page which is no file, as a single-page application wants it

	Headers, Cookies map[string]string // that go with each request to the page's own host
	User, Password   string            // of basic authentication (RFC 7617), to that host
	Certificates     *x509.CertPool    // that a server of one's own is trusted by, beside the system's
	SignIn           *SignIn

	Steps    []Step             // at each opening of the page
	Controls map[string]Control // by the field's path
	Submit   Message
	Load     Message
	Key      Key
	Others   []Answered // requests beside the form's own

	Record   []byte // JSON that a load is answered with; nil means a sample
	RecordAt string // where in it the record is (RFC 6901); empty means that it is the record
	Refusal  []byte // JSON that refuses a field, as the form's server writes it; nil means problem details
	accepted reply  // what a submission is answered with; status 0 means 201 and an identifier
	Ignored  []string
	Excused  map[string]string // by trial: why it is not made
}

// SignIn is how somebody signs in before the trials. Sends are the requests that reach the
// real server meanwhile, such as "POST /session".
type SignIn struct {
	Page  string
	Steps []Step
	Sends []string
}

// Step is one thing that an applicant does, or waits for.
type Step struct {
	Click   string // a selector
	Reading string // of click: the element of that selector that reads so, or has this value
	Type    string // a text, into the element of Into
	Into    string
	Until   string // a selector of what has to be there
	IfThere bool   // a click on what is not there is left out
}

// Control is how the control of a field is found and operated. For the rows themselves it is the
// button that adds one. In rows {row} stands for the row's number.
type Control struct {
	Selector string
	Parts    []string // of a date in three controls: the selectors of year, month and day
	Typed    string   // how a date is typed: {day}.{month}.{year}
	Before   []Step   // that reach the control where it is not there, such as a wizard's next
	Steps    []Step   // that choose or type in it; {label} and {value} are what is chosen
}

// Message is which request is meant, beside what the form file says of it.
type Message struct {
	Control     string // of the submission: the selector of the submit buttons
	Before      []Step // of the submission: what reaches the button
	Method, URL string
	Operation   string // of GraphQL
}

// Key is where a submission's key is. The zero value is the header Idempotency-Key.
type Key struct {
	Header string
	Body   string // a JSON pointer
}

// Answered is a request beside the form's own, and its answer.
type Answered struct {
	Method, URL string
	reply       reply
}

// DeclarationsBeside is the name of the file that belongs to a form file.
func DeclarationsBeside(formFile string) string {
	base := strings.TrimSuffix(formFile, filepath.Ext(formFile))
	return strings.TrimSuffix(base, ".form") + ".try.yaml"
}

// DeclaredBeside reads the try file beside a form file. It returns nil where there is none.
func DeclaredBeside(source *declare.Source) (*Declarations, error) {
	declared, err := ReadDeclarations(DeclarationsBeside(source.File), source.Form)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return declared, err
}

// ReadDeclarations reads a file for a form. The error is a [form.Problems] where the file
// can be read.
func ReadDeclarations(name string, f *form.Form) (*Declarations, error) {
	data, err := document.ReadFile(name, "a try file, which leanwicket try --new writes")
	if err != nil {
		return nil, err
	}
	root, err := document.Read(name, data)
	if err != nil {
		return nil, err
	}
	r := &declarationsReader{Report: document.NewReport(name), dir: filepath.Dir(name), form: f}
	d := r.declarations(root)
	return d, r.Err()
}
