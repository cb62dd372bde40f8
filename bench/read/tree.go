package read

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"ropebench/bench"
)

// Bounds on a bench file. The YAML library takes long and much memory for deep nesting, so that depth is looked at first.
const (
	maxFileSize = 1 << 20
	maxNesting  = 40
)

// A node is a value of the YAML tree with its place: a scalar with its text as written, a mapping or a list.
type Node struct {
	line    int
	column  int    // of a single value, counted in characters from 1
	written string // a single value with its quotes
	kind    nodeKind
	Text    string
	quoted  bool
	Entries []Entry
	Items   []*Node
}

type nodeKind uint8

const (
	nothing nodeKind = iota
	scalar
	mapping
	list
)

func (k nodeKind) String() string {
	return [...]string{"nothing", "a single value", "a mapping", "a list"}[k]
}

// An entry is a key of a mapping with its value.
type Entry struct {
	key   string
	Line  int
	Value *Node
}

// ParseTree reads YAML 1.2 core, and refuses what a bench file must not have: anchors, tags, merge keys, more than
// one document, deep nesting.
func ParseTree(file string, text []byte) (*Node, bench.Problems) {
	problem := func(line int, format string, args ...any) bench.Problems {
		return bench.Problems{{File: file, Line: line, Message: fmt.Sprintf(format, args...)}}
	}
	if len(text) > maxFileSize {
		return nil, problem(1, "the file has %d bytes; a bench file may have at most %d: keep data in files of their own", len(text), maxFileSize)
	}
	text = bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")) // the parser counts a line twice where a comment ends with both
	if line := tooDeep(string(text)); line > 0 {
		return nil, problem(line, "brackets or indents stand more than %d deep within each other: a bench file needs fewer", maxNesting)
	}
	parsed, err := parser.ParseBytes(text, 0, parser.AllowDuplicateMapKey())
	if err != nil {
		var syntax *yaml.SyntaxError
		if !errors.As(err, &syntax) || syntax.Token == nil {
			return nil, problem(1, "this is not YAML: %s", firstLine(err.Error()))
		}
		line := syntax.Token.Position.Line
		if fixed, better := quoteFormulas(lineOf(text, line)); better {
			return nil, problem(line, "a formula with a comma inside {...}, or with ? :, is quoted: write %s", fixed)
		}
		return nil, problem(line, "this is not YAML: %s", yamlMistake(syntax.Message))
	}
	t := treeBuilder{file: file}
	var root *Node
	for _, document := range parsed.Docs {
		if document.Body == nil {
			continue
		}
		if root != nil {
			return nil, problem(document.Body.GetToken().Position.Line, "a second document begins here: a bench file has one; remove the line ---")
		}
		root = t.build(document.Body)
	}
	if len(t.problems) > 0 {
		return nil, t.problems
	}
	if root == nil || root.kind == nothing {
		return nil, problem(1, "the file is empty: a bench begins with `bench: 1`, then title, inputs and solver")
	}
	return root, nil
}

// tooDeep returns the line on which flow brackets or block indents are deeper than allowed, or 0. Brackets in quotes,
// comments and texts of several lines are no nesting, nor are those within a word outside of all brackets: `[0, 1)`.
func tooDeep(text string) int {
	depth, textFrom := 0, -1 // of a text of several lines, the indent of its key
	for i, line := range strings.Split(text, "\n") {
		indent := len(line) - len(strings.TrimLeft(line, " "))
		if textFrom >= 0 && (indent > textFrom || strings.TrimSpace(line) == "") {
			continue
		}
		textFrom = -1
		if len(line)-len(strings.TrimLeft(line, " -?")) > 4*maxNesting {
			return i + 1
		}
		if depth = depthBehind(line, depth); depth > maxNesting {
			return i + 1
		}
		if depth == 0 && beginsText.MatchString(line) {
			textFrom = indent
		}
	}
	return 0
}

var beginsText = regexp.MustCompile(`(^|[\s:-])[|>][-+0-9]*\s*(#.*)?$`)

// depthBehind is how many brackets are open behind a line, or the first number that is too many.
func depthBehind(line string, depth int) int {
	quote, before := byte(0), byte(':') // the last byte that is no blank
	for k := range len(line) {
		c := line[k]
		begins := strings.IndexByte(":-,?[{", before) >= 0
		switch {
		case quote != 0:
			if c == quote && (c == '\'' || line[k-1] != '\\') {
				quote = 0
			}
		case (c == '"' || c == '\'') && begins:
			quote = c
		case c == '#' && (k == 0 || line[k-1] == ' '):
			return depth
		case (c == '[' || c == '{') && (depth > 0 || begins):
			if depth++; depth > maxNesting {
				return depth
			}
		case c == ']' || c == '}':
			depth = max(0, depth-1)
		}
		if c != ' ' && c != '\t' {
			before = c
		}
	}
	return depth
}

type treeBuilder struct {
	file     string
	problems bench.Problems
}

func (t *treeBuilder) refuse(line int, message string) *Node {
	t.problems = append(t.problems, bench.Problem{File: t.file, Line: line, Message: message})
	return &Node{line: line}
}

func (t *treeBuilder) build(n ast.Node) *Node {
	if n == nil {
		return &Node{}
	}
	line := n.GetToken().Position.Line
	switch n := n.(type) {
	case *ast.NullNode:
		return &Node{line: line}
	case *ast.StringNode:
		quoted := n.Token.Type == token.SingleQuoteType || n.Token.Type == token.DoubleQuoteType
		return &Node{line: line, column: n.Token.Position.Column, written: strings.TrimSpace(n.Token.Origin), kind: scalar, Text: n.Value, quoted: quoted}
	case *ast.LiteralNode:
		return &Node{line: line, kind: scalar, Text: n.Value.Value, quoted: true}
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return &Node{line: line, column: n.GetToken().Position.Column, written: strings.TrimSpace(n.GetToken().Origin), kind: scalar, Text: n.GetToken().Value}
	case *ast.MappingNode:
		built := &Node{line: line, kind: mapping}
		for _, value := range n.Values {
			built.Entries = append(built.Entries, t.entry(value))
		}
		return built
	case *ast.MappingValueNode:
		return &Node{line: line, kind: mapping, Entries: []Entry{t.entry(n)}}
	case *ast.SequenceNode:
		built := &Node{line: line, kind: list}
		for _, value := range n.Values {
			built.Items = append(built.Items, t.build(value))
		}
		return built
	case *ast.AnchorNode, *ast.AliasNode, *ast.MergeKeyNode:
		return t.refuse(line, "anchors, aliases and merge keys are not read: write the value out")
	case *ast.TagNode:
		return t.refuse(line, "tags (!) are not read: write the plain value")
	case *ast.DirectiveNode:
		return t.refuse(line, "directives (%) are not read: remove the line")
	}
	return t.refuse(line, "this part of YAML is not read in a bench file")
}

func (t *treeBuilder) entry(n *ast.MappingValueNode) Entry {
	line := n.Key.GetToken().Position.Line
	switch n.Key.(type) {
	case *ast.MergeKeyNode, *ast.MappingKeyNode:
		t.refuse(line, "merge keys and keys that begin with ? are not read: write plain names as keys")
		return Entry{Line: line, Value: &Node{line: line}}
	}
	value := t.build(n.Value)
	if value.line == 0 {
		value.line = line
	}
	return Entry{key: n.Key.GetToken().Value, Line: line, Value: value}
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

func lineOf(text []byte, number int) string {
	lines := strings.Split(string(text), "\n")
	if number < 1 || number > len(lines) {
		return ""
	}
	return strings.TrimRight(lines[number-1], "\r")
}

// Stands tells where a single value stands, line and character from 1, and how it is written, with its quotes.
func (n *Node) Stands() (line, column int, written string) { return n.line, n.column, n.written }

// Entry finds the entry of a key.
func (n *Node) Entry(key string) (Entry, bool) {
	return bench.Find(n.Entries, key, func(e Entry) string { return e.key })
}

// yamlMistake says in words what the parser of YAML says.
func yamlMistake(said string) string {
	for part, words := range map[string]string{
		"could not find flow mapping end token":                  "a bracket { is not closed: add }",
		"',' or '}' must be specified":                           "a bracket { is not closed: add }, or a comma is missing",
		"',' or ']' must be specified":                           "a bracket [ is not closed: add ], or a comma is missing",
		"sequence end token":                                     "a bracket [ is not closed: add ]",
		"could not find '[' character corresponding to ']'":      "a bracket ] is not opened: remove it, or add [ before it",
		"could not find '{' character corresponding to '}'":      "a bracket } is not opened: remove it, or add { before it",
		"could not find end character of double-quoted text":     `a text that begins with " does not end with one`,
		"could not find end character of single-quoted text":     "a text that begins with ' does not end with one",
		"that cannot start any token":                            "a line is indented with a tab, or begins with a character that has a meaning of its own: indent with blanks, and quote such a text",
		"mapping value is not allowed in this context":           "a key stands where none can: keys of one level begin in one column, and a text with a colon is quoted",
		"non-map value is specified":                             "a line has neither a key nor a -: a key ends with a colon and a blank",
		"unexpected key name":                                    "a key is not followed by a colon and a blank",
		"value is not allowed in this context. map key-value is": "a value stands where none can: keys of one level begin in one column",
	} {
		if strings.Contains(said, part) {
			return words
		}
	}
	return said
}
