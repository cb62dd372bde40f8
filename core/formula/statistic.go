package formula

import (
	"fmt"
	"maps"
	"slices"

	"github.com/expr-lang/expr/ast"
)

// The statistics that a formula can name.
const (
	Expected    = "expected"
	Deviation   = "deviation"
	Quantile    = "quantile"
	Probability = "probability"
)

// statistics are taken of a formula over scatter; with how many arguments.
var statistics = map[string]int{Expected: 1, Deviation: 1, Quantile: 2, Probability: 1}

// A Statistic is a number that tells of the values of a formula under scatter: what is expected of it, its standard deviation, a quantile, or the
// probability that a comparison holds.
type Statistic struct {
	Name  string // as it stands among the names of the expression that it is part of: expected(cost)
	Kind  string
	Of    Expression // gives 1 where it holds, and 0 elsewhere, for a probability
	Share float64    // of a quantile: between 0 and 1
}

// takeStatistics puts names in the place of the statistics of a tree.
func (e *Expression) takeStatistics(root *ast.Node) error {
	t := &statisticTaker{of: e}
	ast.Walk(root, t)
	return t.err
}

type statisticTaker struct {
	of  *Expression
	err error
}

// Visit implements ast.Visitor.
func (t *statisticTaker) Visit(node *ast.Node) {
	call, isCall := (*node).(*ast.CallNode)
	if !isCall || t.err != nil {
		return
	}
	kind, _ := nameOf(call.Callee)
	arguments, known := statistics[kind]
	if !known {
		return
	}
	var s Statistic
	if s, t.err = statisticOf(call, kind, arguments); t.err != nil {
		return
	}
	if !slices.ContainsFunc(t.of.Statistics, func(other Statistic) bool { return other.Name == s.Name }) {
		t.of.Statistics = append(t.of.Statistics, s)
	}
	ast.Patch(node, &ast.IdentifierNode{Value: s.Name})
}

func statisticOf(call *ast.CallNode, kind string, arguments int) (Statistic, error) {
	s := Statistic{Kind: kind}
	if n := len(call.Arguments); n != arguments {
		return s, &Error{At: at(call.Callee), Message: fmt.Sprintf("%s takes %s, not %d", kind, function{least: arguments, most: arguments}.arguments(), n)}
	}
	var err error
	if s.Of, err = Parse(call.Arguments[0].String()); err != nil {
		return s, &Error{At: at(call.Callee), Message: fmt.Sprintf("%s: %s", kind, err)}
	}
	s.Name = fmt.Sprintf("%s(%s)", kind, s.Of.Text)
	binary, _ := call.Arguments[0].(*ast.BinaryNode)
	switch {
	case len(s.Of.Statistics) > 0:
		return s, &Error{At: at(call.Callee), Message: kind + " is of values under scatter, and cannot be taken of another statistic"}
	case kind == Probability && (binary == nil || !slices.Contains([]string{"<", "<=", ">", ">="}, binary.Operator)):
		return s, &Error{At: at(call.Callee), Message: "probability is of a comparison, such as probability(gap >= 1.5)"}
	case kind == Quantile:
		share, isNumber := constantOf(call.Arguments[1])
		if !isNumber || share <= 0 || share >= 1 {
			return s, &Error{At: at(call.Callee), Message: "the second argument of quantile is a number between 0 and 1, such as 0.95"}
		}
		s.Share, s.Name = share, fmt.Sprintf("%s(%s, %g)", kind, s.Of.Text, share)
	}
	return s, nil
}

// WithoutScatter is what the expression comes to where nothing scatters: a deviation is 0, other statistics are what they are taken of.
func (e Expression) WithoutScatter() (Expression, error) {
	if e.Statistics == nil {
		return e, nil
	}
	root, err := treeOf(e.Text)
	if err != nil {
		return Expression{}, err
	}
	ast.Walk(&root, scatterRemover{})
	return Parse(root.String())
}

type scatterRemover struct{}

// Visit implements ast.Visitor.
func (scatterRemover) Visit(node *ast.Node) {
	call, isCall := (*node).(*ast.CallNode)
	if !isCall {
		return
	}
	switch kind, _ := nameOf(call.Callee); kind {
	case Expected, Quantile:
		ast.Patch(node, call.Arguments[0])
	case Deviation:
		ast.Patch(node, &ast.IntegerNode{})
	case Probability:
		ast.Patch(node, &ast.ConditionalNode{Ternary: true, Cond: call.Arguments[0], Exp1: &ast.IntegerNode{Value: 1}, Exp2: &ast.IntegerNode{}})
	}
}

// AllNames are the names of the expression, and in place of its statistics those that they are taken of.
func (e Expression) AllNames() []string {
	names := map[string]bool{}
	for _, name := range e.Names {
		names[name] = true
	}
	for _, s := range e.Statistics {
		delete(names, s.Name)
		for _, name := range s.Of.Names {
			names[name] = true
		}
	}
	return slices.Sorted(maps.Keys(names))
}
