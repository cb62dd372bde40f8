package bench

import (
	"errors"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// Bounds on a bench file. The YAML library takes long and much memory for deep nesting, so that depth is looked at first.
const (
	maxFileSize = 1 << 20
	maxNesting  = 40
)

// A node is a value of the YAML tree with its place: a scalar with its text as written, a mapping or a list.
type node struct {
	line    int
	kind    nodeKind
	text    string
	quoted  bool
	entries []entry
	items   []*node
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
type entry struct {
	key   string
	line  int
	value *node
}

// parseTree reads YAML 1.2 core, and refuses what a bench file must not have: anchors, tags, merge keys, more than
// one document, deep nesting.
func parseTree(file string, text []byte) (*node, Problems) {
	problem := func(line int, format string, args ...any) Problems {
		return Problems{{file, line, fmt.Sprintf(format, args...)}}
	}
	if len(text) > maxFileSize {
		return nil, problem(1, "the file has %d bytes; a bench file may have at most %d: keep data in files of their own", len(text), maxFileSize)
	}
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
		return nil, problem(line, "this is not YAML: %s", syntax.Message)
	}
	t := treeBuilder{file: file}
	var root *node
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

// tooDeep returns the line on which flow brackets or block indents are deeper than allowed, or 0.
func tooDeep(text string) int {
	depth := 0
	for i, line := range strings.Split(text, "\n") {
		if indent := len(line) - len(strings.TrimLeft(line, " -?")); indent > 4*maxNesting {
			return i + 1
		}
		for _, c := range line {
			switch c {
			case '[', '{':
				depth++
			case ']', '}':
				depth = max(0, depth-1)
			}
		}
		if depth > maxNesting {
			return i + 1
		}
	}
	return 0
}

type treeBuilder struct {
	file     string
	problems Problems
}

func (t *treeBuilder) refuse(line int, message string) *node {
	t.problems = append(t.problems, Problem{t.file, line, message})
	return &node{line: line}
}

func (t *treeBuilder) build(n ast.Node) *node {
	if n == nil {
		return &node{}
	}
	line := n.GetToken().Position.Line
	switch n := n.(type) {
	case *ast.NullNode:
		return &node{line: line}
	case *ast.StringNode:
		quoted := n.Token.Type == token.SingleQuoteType || n.Token.Type == token.DoubleQuoteType
		return &node{line: line, kind: scalar, text: n.Value, quoted: quoted}
	case *ast.LiteralNode:
		return &node{line: line, kind: scalar, text: n.Value.Value, quoted: true}
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return &node{line: line, kind: scalar, text: n.GetToken().Value}
	case *ast.MappingNode:
		built := &node{line: line, kind: mapping}
		for _, value := range n.Values {
			built.entries = append(built.entries, t.entry(value))
		}
		return built
	case *ast.MappingValueNode:
		return &node{line: line, kind: mapping, entries: []entry{t.entry(n)}}
	case *ast.SequenceNode:
		built := &node{line: line, kind: list}
		for _, value := range n.Values {
			built.items = append(built.items, t.build(value))
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

func (t *treeBuilder) entry(n *ast.MappingValueNode) entry {
	line := n.Key.GetToken().Position.Line
	switch n.Key.(type) {
	case *ast.MergeKeyNode, *ast.MappingKeyNode:
		t.refuse(line, "merge keys and keys that begin with ? are not read: write plain names as keys")
		return entry{line: line, value: &node{line: line}}
	}
	value := t.build(n.Value)
	if value.line == 0 {
		value.line = line
	}
	return entry{key: n.Key.GetToken().Value, line: line, value: value}
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
