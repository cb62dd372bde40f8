package read

import (
	"fmt"
	"path/filepath"
	"strings"

	"ropebench/bench"
)

func (f *fileReader) solver(n *Node) {
	s := &f.bench.Solver
	kinds := 0
	s.Keep = bench.KeepFailed
	f.fields(n, "solver", keys{
		"steps": func(n *Node) {
			kinds++
			if n.kind != list {
				f.wrong(n.line, "steps needs a list: each step on a line that begins with -")
				return
			}
			for i, item := range n.Items {
				f.solverStep(fmt.Sprintf("step %d", i+1), item)
			}
		},
		"formulas": func(n *Node) {
			kinds++
			f.named(n, "formulas", false, func(name string, line int, n *Node) {
				f.declare(name, line)
				s.Formulas = append(s.Formulas, f.namedFormula(name, line, n))
			})
		},
		"files": func(n *Node) {
			s.Files = f.texts(n, "files")
			for _, path := range s.Files {
				f.local(n.line, "files", path)
			}
		},
		"at_once":  func(n *Node) { s.AtOnce = f.whole(n, "at_once", 1) },
		"retry":    func(n *Node) { s.Retry = f.whole(n, "retry", 0) },
		"keep":     func(n *Node) { s.Keep = f.oneOf(n, "keep", bench.Keeps) },
		"noisy":    func(n *Node) { s.Noisy = f.boolean(n, "noisy") },
		"dynamics": func(n *Node) { kinds++; f.dynamics(n) },
	})
	if kinds != 1 && len(f.problems) == 0 {
		f.wrong(n.line, "a solver has exactly one of steps, formulas and dynamics, not %d of them", kinds)
	}
}

// local refuses a path that leaves the bench folder, or the working folder.
func (f *fileReader) local(line int, what, path string) {
	if !filepath.IsLocal(path) || strings.Contains(path, `\`) {
		f.wrong(line, "%s: the path %q leaves the folder of the bench: copy the file into it and write a path below it", what, path)
	}
}
