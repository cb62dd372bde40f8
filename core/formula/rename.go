package formula

import (
	"slices"

	"github.com/expr-lang/expr/ast"
)

// Renamed is the expression with other names in it, as rename says for each; names with a dot stay as they are. The error is that of Parse, where the
// new text is too long.
func (e Expression) Renamed(rename func(name string) string) (Expression, error) {
	places := &namePlaces{}
	root, err := treeOf(e.Text)
	if err != nil {
		return Expression{}, err
	}
	ast.Walk(&root, places)
	slices.SortFunc(places.found, func(a, b *ast.IdentifierNode) int { return at(b) - at(a) }) // from the end: what stands before keeps its place
	text := []rune(e.Text)
	for _, n := range places.found {
		if slices.Contains(places.taken, n) || n.Value == "pi" {
			continue
		}
		text = slices.Replace(text, at(n), at(n)+len(n.Value), []rune(rename(n.Value))...)
	}
	return Parse(string(text))
}

// namePlaces collects the names of a tree, and those of them that are no names of values: functions, and what stands before a dot.
type namePlaces struct{ found, taken []*ast.IdentifierNode }

// Visit implements ast.Visitor.
func (p *namePlaces) Visit(node *ast.Node) {
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		p.found = append(p.found, n)
	case *ast.MemberNode:
		p.take(n.Node)
	case *ast.CallNode:
		p.take(n.Callee)
	}
}

func (p *namePlaces) take(node ast.Node) {
	if n, is := node.(*ast.IdentifierNode); is {
		p.taken = append(p.taken, n)
	}
}
