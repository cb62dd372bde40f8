// Package formula reads the formulas of a bench: it parses and checks them, and evaluates many of them at once over
// named numbers. The syntax tree comes from the parser of expr-lang; everything else is done here, so that formulas
// run over batches of designs.
package formula

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/conf"
	"github.com/expr-lang/expr/file"
	"github.com/expr-lang/expr/parser"
	"github.com/expr-lang/expr/parser/operator"
)

// The parser keeps its operators in one table for the process, and lets not bind tighter than comparisons. People write
// not y == 2 for not (y == 2): looser than a comparison, tighter than and.
func init() {
	operator.Unary["not"] = operator.Operator{Precedence: operator.Binary["and"].Precedence + 1, Associativity: operator.Left}
}

// Bounds on what is parsed: the parser recurses, so that an endless row of brackets would end the process.
const (
	MaxLength = 20_000 // characters in one formula
	MaxDepth  = 200    // brackets within brackets
)

// An Error is a mistake in a formula: where it is, counted in characters from 0, and what is wrong.
type Error struct {
	At      int
	Message string
}

func (e *Error) Error() string { return e.Message }

// An Expression is a parsed formula whose operations are all known; its names are not looked up yet.
type Expression struct {
	Text  string
	Names []string // every input, output or derived value it names, in order of first use; statistics by theirs
	// Statistics are taken over scatter; where there are any, the expression is one of them and of values without scatter.
	Statistics []Statistic
	root       ast.Node
	reads      bool // something is read off a vector or curve
}

// NamesOnly is true where every name is one of a set.
func (e Expression) NamesOnly(names map[string]bool) bool {
	return !slices.ContainsFunc(e.Names, func(name string) bool { return !names[name] })
}

// Reads is true where something is read off a vector or a curve: such an expression is not for a Program.
func (e Expression) Reads() bool { return e.reads }

// Parse reads one formula. Errors are of type *Error.
func Parse(text string) (Expression, error) {
	if err := checkBounds(text); err != nil {
		return Expression{}, err
	}
	root, err := treeOf(text)
	if err != nil {
		return Expression{}, err
	}
	expression := Expression{Text: text}
	if err := expression.takeStatistics(&root); err != nil {
		return Expression{}, err
	}
	expression.root = root
	if err := expression.check(root); err != nil {
		return Expression{}, err
	}
	return expression, nil
}

// treeOf is the syntax tree of a text.
func treeOf(text string) (ast.Node, error) {
	config := conf.CreateNew()
	for name := range config.Builtins {
		config.Disabled[name] = true // calls are ours: every name before a bracket comes back as a plain call
	}
	tree, err := parser.ParseWithConfig(text, config)
	var where *file.Error
	switch {
	case errors.As(err, &where):
		return nil, &Error{At: where.From, Message: inWords(where.Message, text, where.From)}
	case err != nil:
		return nil, &Error{Message: inWords(err.Error(), text, 0)}
	}
	return tree.Node, nil
}

func checkBounds(text string) error {
	if strings.TrimSpace(text) == "" {
		return &Error{Message: "the formula is empty"}
	}
	if len(text) > MaxLength {
		return &Error{At: MaxLength, Message: fmt.Sprintf("the formula has %d characters; at most %d are read: split it into derived values", len(text), MaxLength)}
	}
	depth := 0
	for i, c := range text {
		switch c {
		case '(', '[', '{', '?':
			depth++
		case ')', ']', '}', ':':
			depth--
		}
		if depth > MaxDepth {
			return &Error{At: i, Message: fmt.Sprintf("more than %d brackets stand within each other: split the formula into derived values", MaxDepth)}
		}
	}
	for mark, remedy := range map[string]string{"//": "division is written /", "/*": "comments belong into the notes", "**": "a power is written ^"} {
		if at := strings.Index(text, mark); at >= 0 {
			return &Error{At: at, Message: fmt.Sprintf("%s has no meaning in a formula: %s", mark, remedy)}
		}
	}
	return nil
}

var binaryOperators = map[string]operation{
	"+": opAdd, "-": opSubtract, "*": opMultiply, "/": opDivide, "^": opPower,
	"<": opLess, "<=": opLessEqual, ">": opGreater, ">=": opGreaterEqual, "==": opEqual, "!=": opNotEqual,
	"and": opAnd, "or": opOr,
}

var operatorHints = map[string]string{"&&": "write and", "||": "write or", "%": "there is no remainder; use a - b*floor(a/b)", "in": "it is reserved", "??": "it is reserved"}

// check walks the tree once: every node must be of a kind that the language has.
func (e *Expression) check(node ast.Node) error {
	switch n := node.(type) {
	case *ast.IntegerNode, *ast.FloatNode:
		return nil
	case *ast.IdentifierNode, *ast.MemberNode:
		return e.checkName(node)
	case *ast.UnaryNode:
		if n.Operator != "-" && n.Operator != "+" && n.Operator != "not" {
			return &Error{At: at(n), Message: fmt.Sprintf("%s is not an operator of formulas: write not", n.Operator)}
		}
		return e.check(n.Node)
	case *ast.BinaryNode:
		if n.Operator == "&&" && !strings.Contains(e.Text, "&&") { // the parser makes it of a chain
			return &Error{At: at(n), Message: fmt.Sprintf("comparisons are not chained: write %s and %s", n.Left, n.Right)}
		}
		if _, known := binaryOperators[n.Operator]; !known {
			return &Error{At: at(n), Message: strings.TrimSuffix(fmt.Sprintf("%s is not an operator of formulas: %s", n.Operator, operatorHints[n.Operator]), ": ")}
		}
		return errors.Join(e.check(n.Left), e.check(n.Right))
	case *ast.ConditionalNode:
		return errors.Join(e.check(n.Cond), e.check(n.Exp1), e.check(n.Exp2))
	case *ast.CallNode:
		return e.checkCall(n)
	}
	return &Error{At: at(node), Message: "this is not part of the formula language: numbers, names, + - * / ^, comparisons, and, or, not, ? : and the functions of docs/bench-file.md are"}
}

func (e *Expression) checkName(node ast.Node) error {
	name, ok := nameOf(node)
	if !ok {
		return &Error{At: at(node), Message: "a dot joins two names, as in rope.mass"}
	}
	if name != "pi" && !slices.Contains(e.Names, name) {
		e.Names = append(e.Names, name)
	}
	return nil
}

func (e *Expression) checkCall(call *ast.CallNode) error {
	name, _ := nameOf(call.Callee)
	function, known := functions[name]
	if r, reads := readers[name]; reads {
		known, function.least, function.most = true, r.least, r.most
		e.reads = true
	}
	if !known {
		return &Error{At: at(call.Callee), Message: fmt.Sprintf("there is no function %s%s", name, Suggest(name, FunctionNames()))}
	}
	if n := len(call.Arguments); n < function.least || n > function.most {
		return &Error{At: at(call.Callee), Message: fmt.Sprintf("%s takes %s, not %d", name, function.arguments(), n)}
	}
	for _, argument := range call.Arguments {
		if err := e.check(argument); err != nil {
			return err
		}
	}
	return nil
}

// nameOf gives the name that a node stands for: a plain one, or two joined by a dot.
func nameOf(node ast.Node) (string, bool) {
	switch n := node.(type) {
	case *ast.IdentifierNode:
		return n.Value, true
	case *ast.MemberNode:
		base, isName := n.Node.(*ast.IdentifierNode)
		property, isWord := n.Property.(*ast.StringNode)
		if isName && isWord && !n.Optional {
			return base.Value + "." + property.Value, true
		}
	}
	return "", false
}

func at(node ast.Node) int { return node.Location().From }

func constantOf(node ast.Node) (float64, bool) {
	switch n := node.(type) {
	case *ast.IntegerNode:
		return float64(n.Value), true
	case *ast.FloatNode:
		return n.Value, true
	case *ast.IdentifierNode:
		return math.Pi, n.Value == "pi"
	}
	return 0, false
}
