// Package document reads a YAML 1.2 or JSON file as a tree that knows where
// each of its parts stands, for readers that tell every mistake by file, line
// and column.
//
//	root, err := document.Read("permit.form.yaml", data)
//	if err != nil {
//		return err
//	}
//	report := document.NewReport("permit.form.yaml")
//	for _, entry := range report.Map(root, "form", "schema") {
//		…
//	}
//	return report.Err()
package document

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// Kind is the kind of a node.
type Kind uint8

// The kinds of nodes.
const (
	Null Kind = iota
	Bool
	Number
	String
	List
	Map
)

func (k Kind) String() string {
	return [...]string{"nothing", "true or false", "a number", "a text", "a list", "a mapping"}[k]
}

// Node is one value of a document and its place, counted from 1.
type Node struct {
	Kind    Kind
	Text    string // of a scalar, as written
	Quoted  bool
	Entries []Entry // of a Map, in their order
	Items   []*Node // of a List
	Line    int
	Column  int
}

// Entry is one member of a mapping.
type Entry struct {
	Key   string
	At    *Node // where the key stands
	Value *Node
}

// Get returns a member of a mapping, or nil.
func (n *Node) Get(key string) *Node {
	if n == nil {
		return nil
	}
	for _, e := range n.Entries {
		if e.Key == key {
			return e.Value
		}
	}
	return nil
}

// Set makes a member of a mapping another value, or adds the member at its end. It
// returns the mapping.
func (n *Node) Set(key string, value *Node) *Node {
	for k := range n.Entries {
		if n.Entries[k].Key == key {
			n.Entries[k].Value = value
			return n
		}
	}
	n.Entries = append(n.Entries, Entry{Key: key, At: value, Value: value})
	return n
}

// NewMap makes an empty mapping, which stands in no file.
func NewMap() *Node { return made(Map, "") }

// NewList makes an empty list.
func NewList() *Node { return made(List, "") }

// NewText makes a text.
func NewText(text string) *Node { return made(String, text) }

// NewScalar makes what a text reads as: true or false, a number, or a text.
func NewScalar(text string) *Node {
	switch {
	case text == "true" || text == "false":
		return made(Bool, text)
	case jsonNumber.MatchString(text):
		return made(Number, text)
	default:
		return NewText(text)
	}
}

func made(kind Kind, text string) *Node { return &Node{Kind: kind, Text: text, Line: 1, Column: 1} }

// Any returns the node as encoding/json decodes it, with json.Number.
func (n *Node) Any() any {
	switch n.Kind {
	case Bool:
		return n.Text == "true"
	case Number:
		return json.Number(n.Text)
	case String:
		return n.Text
	case List:
		list := make([]any, len(n.Items))
		for k, item := range n.Items {
			list[k] = item.Any()
		}
		return list
	case Map:
		m := make(map[string]any, len(n.Entries))
		for _, e := range n.Entries {
			m[e.Key] = e.Value.Any()
		}
		return m
	default:
		return nil
	}
}

// jsonNumber is RFC 8259's grammar of a number.
var jsonNumber = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?$`)

const (
	maxBytes = 8 << 20
	maxDepth = 200
)

// Read parses a document. What it cannot read is a [form.Problems] error.
func Read(file string, data []byte) (root *Node, err error) {
	report := NewReport(file)
	start := &Node{Line: 1, Column: 1}
	if len(data) > maxBytes {
		report.Wrong(start, fmt.Sprintf("a file of %d bytes", len(data)), fmt.Sprintf("at most %d bytes", maxBytes))
		return nil, report.Err()
	}
	if at, deep := tooDeep(data); deep {
		report.Wrong(at, "lists and mappings nested too deeply", fmt.Sprintf("at most %d levels", maxDepth))
		return nil, report.Err()
	}
	defer func() {
		if trouble := recover(); trouble != nil {
			report.Wrong(start, "text that cannot be read as YAML or JSON", "well-formed YAML 1.2 or JSON")
			root, err = nil, report.Err()
		}
	}()
	parsed, parseErr := parser.ParseBytes(data, 0)
	if parseErr != nil {
		report.syntax(parseErr)
		return nil, report.Err()
	}
	docs := parsed.Docs
	for len(docs) > 1 && docs[len(docs)-1].Body == nil {
		docs = docs[:len(docs)-1]
	}
	if len(docs) == 0 || docs[0].Body == nil {
		report.Wrong(start, "an empty file", "a mapping")
		return nil, report.Err()
	}
	if len(docs) > 1 {
		report.Wrong(place(docs[1].Body), "a second document", "one document in a file")
		return nil, report.Err()
	}
	root = report.convert(docs[0].Body, 0)
	return root, report.Err()
}

// tooDeep finds brackets nested beyond what the parser should be given.
func tooDeep(data []byte) (*Node, bool) {
	depth, line, column, dashes := 0, 1, 0, 0
	for _, c := range data {
		column++
		switch c {
		case '\n':
			line, column, dashes = line+1, 0, 0
		case '[', '{':
			depth++
		case ']', '}':
			depth--
		case '-', '?', ':':
			dashes++
		case ' ':
		default:
			dashes = 0
		}
		if depth > maxDepth || dashes > maxDepth {
			return &Node{Line: line, Column: column}, true
		}
	}
	return nil, false
}

func (r *Report) syntax(err error) {
	at := &Node{Line: 1, Column: 1}
	found := err.Error()
	var syntax *yaml.SyntaxError
	if errors.As(err, &syntax) {
		found = syntax.Message
		if syntax.Token != nil && syntax.Token.Position != nil {
			at = &Node{Line: syntax.Token.Position.Line, Column: syntax.Token.Position.Column}
		}
	}
	found, _, _ = strings.Cut(found, "\n")
	found = strings.TrimPrefix(found, "found ")
	r.Wrong(at, found, "well-formed YAML 1.2 or JSON")
}

func place(n ast.Node) *Node {
	node := &Node{Line: 1, Column: 1}
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return node
	}
	position := n.GetToken().Position
	node.Line, node.Column = position.Line, position.Column
	return node
}

// convert makes the parser's tree ours: plain content only, as JSON has it.
func (r *Report) convert(n ast.Node, depth int) *Node {
	node := place(n)
	if depth > maxDepth {
		r.Wrong(node, "lists and mappings nested too deeply", fmt.Sprintf("at most %d levels", maxDepth))
		return node
	}
	switch n := n.(type) {
	case nil, *ast.NullNode:
	case *ast.BoolNode:
		node.Kind, node.Text = Bool, fmt.Sprint(n.Value)
	case *ast.IntegerNode, *ast.FloatNode:
		node.Kind, node.Text = Number, n.GetToken().Value
		if !json.Valid([]byte(node.Text)) {
			node.Kind = String // 0x1F, +5, 1_000: numbers in YAML alone, so text
		}
	case *ast.StringNode:
		node.Kind, node.Text = String, n.Value
		node.Quoted = n.Token.Type.String() != "String"
		if !node.Quoted && jsonNumber.MatchString(node.Text) { // 1e-8, which the parser takes for text
			node.Kind = Number
		}
	case *ast.LiteralNode:
		node.Kind, node.Text, node.Quoted = String, n.Value.Value, true
	case *ast.SequenceNode:
		node.Kind = List
		for _, item := range n.Values {
			node.Items = append(node.Items, r.convert(item, depth+1))
		}
	case *ast.MappingNode:
		node.Kind = Map
		r.convertEntries(node, n.Values, depth)
	case *ast.MappingValueNode:
		node.Kind = Map
		r.convertEntries(node, []*ast.MappingValueNode{n}, depth)
	default:
		r.Wrong(node, "a YAML feature that JSON does not have ("+strings.TrimSuffix(fmt.Sprint(n.Type()), "Node")+")", "plain values, lists and mappings")
	}
	if node.Kind == Map && len(node.Entries) > 0 {
		node.Line, node.Column = node.Entries[0].At.Line, node.Entries[0].At.Column
	}
	return node
}

func (r *Report) convertEntries(node *Node, values []*ast.MappingValueNode, depth int) {
	for _, value := range values {
		at := place(value.Key)
		key := ""
		switch k := value.Key.(type) {
		case *ast.StringNode:
			key = k.Value
		case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.NullNode:
			key = k.GetToken().Value
		default:
			r.Wrong(at, "a key that is not a plain text", "a text")
			continue
		}
		for _, earlier := range node.Entries {
			if earlier.Key == key {
				r.Wrong(at, fmt.Sprintf("the key %s a second time", key), fmt.Sprintf("each key once (the first is at line %d)", earlier.At.Line))
			}
		}
		node.Entries = append(node.Entries, Entry{key, at, r.convert(value.Value, depth+1)})
	}
}
