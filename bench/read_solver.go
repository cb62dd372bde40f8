package bench

import (
	"fmt"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"ropebench/bench/workbook"
	"ropebench/core/formula"
)

const defaultLimit = time.Hour

func (f *fileReader) solver(n *node) {
	s := &f.bench.Solver
	kinds := 0
	f.fields(n, "solver", keys{
		"steps": func(n *node) {
			kinds++
			if n.kind != list {
				f.wrong(n.line, "steps needs a list: each step on a line that begins with -")
				return
			}
			for i, item := range n.items {
				f.solverStep(fmt.Sprintf("step %d", i+1), item)
			}
		},
		"formulas": func(n *node) {
			kinds++
			f.named(n, "formulas", false, func(name string, line int, n *node) {
				f.declare(name, line)
				s.Formulas = append(s.Formulas, f.namedFormula(name, line, n))
			})
		},
		"files": func(n *node) {
			s.Files = f.texts(n, "files")
			for _, path := range s.Files {
				f.local(n.line, "files", path)
			}
		},
		"at_once":  func(n *node) { s.AtOnce = f.whole(n, "at_once", 1) },
		"retry":    func(n *node) { s.Retry = f.whole(n, "retry", 0) },
		"noisy":    func(n *node) { s.Noisy = f.boolean(n, "noisy") },
		"dynamics": func(n *node) { kinds++; f.dynamics(n) },
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

func (f *fileReader) solverStep(what string, n *node) {
	if n.kind != mapping {
		f.wrong(n.line, "%s needs fill:, run:, post: or workbook:, not %s", what, n.kind)
		return
	}
	given := map[string]*node{}
	note := func(key string) func(*node) { return func(n *node) { given[key] = n } }
	before := len(f.problems)
	f.fields(n, what, keys{"fill": note("fill"), "run": note("run"), "post": note("post"), "put": note("put"), "save": note("save"), "limit": note("limit"),
		"stdin": note("stdin"), "stdout": note("stdout"), "accept": note("accept"), "env": note("env"), "workbook": note("workbook"), "set": note("set")})
	if len(f.problems) > before {
		return
	}
	var kinds []string
	for kind, options := range map[string][]string{"fill": {"put"}, "run": {"limit", "stdin", "stdout", "accept", "env"}, "post": {"save", "limit", "accept"}, "workbook": {"set"}} {
		if given[kind] == nil {
			continue
		}
		kinds = append(kinds, kind)
		for key, option := range given {
			if key != kind && !slices.Contains(options, key) && !slices.Contains([]string{"fill", "run", "post", "workbook"}, key) {
				f.wrong(option.line, "%s: %s does not belong to %s", what, key, kind)
			}
		}
	}
	if len(kinds) != 1 {
		f.wrong(n.line, "%s needs exactly one of fill, run, post and workbook", what)
		return
	}
	var step Step
	switch kinds[0] {
	case "fill":
		step.Fill = f.fill(what, given["fill"])
		if put := given["put"]; put != nil {
			step.Fill.Put = f.places(what, put)
		}
	case "run":
		step.Run = f.run(what, given)
	case "workbook":
		step.Workbook = f.workbook(what, given)
	default:
		step.Post = f.post(what, given)
	}
	f.bench.Solver.Steps = append(f.bench.Solver.Steps, step)
}

func (f *fileReader) run(what string, given map[string]*node) *Run {
	run := &Run{Limit: defaultLimit, Accept: []int{0}}
	if run.Args = f.texts(given["run"], what+": run"); len(run.Args) == 0 {
		f.wrong(given["run"].line, "%s: run needs an argument list: the program first, as in [zipsim, brake.deck]", what)
	} else {
		f.program(given["run"].line, what, run.Args[0])
	}
	for key, option := range given {
		switch key {
		case "limit":
			run.Limit = f.duration(option, what+": limit")
		case "stdin":
			run.Stdin = f.path(option, what+": stdin")
		case "stdout":
			run.Stdout = f.path(option, what+": stdout")
		case "accept":
			run.Accept = f.exitCodes(option, what)
		case "env":
			run.Env = f.environment(option, what)
		}
	}
	return run
}

func (f *fileReader) post(what string, given map[string]*node) *Post {
	post := &Post{URL: f.singleText(given["post"], what+": post"), Limit: defaultLimit}
	if parsed, err := url.Parse(post.URL); err != nil || parsed.Host == "" || parsed.Scheme != "http" && parsed.Scheme != "https" {
		f.wrong(given["post"].line, "%s: post needs an address such as http://127.0.0.1:9000/solve, not %q", what, post.URL)
	}
	if given["save"] == nil {
		f.wrong(given["post"].line, "%s: post needs save: the name of the file that keeps the answer", what)
	} else {
		post.Save = f.path(given["save"], what+": save")
	}
	if option := given["limit"]; option != nil {
		post.Limit = f.duration(option, what+": limit")
	}
	if option := given["accept"]; option != nil {
		post.Accept = f.exitCodes(option, what)
	}
	return post
}

func (f *fileReader) workbook(what string, given map[string]*node) *Workbook {
	w := &Workbook{File: f.path(given["workbook"], what+": workbook")}
	set := given["set"]
	switch {
	case set == nil:
		f.wrong(given["workbook"].line, "%s: workbook needs set: which cells get which inputs, as in {Sheet1!B2: spring_rate}", what)
		return w
	case set.kind != mapping || len(set.entries) == 0:
		f.wrong(set.line, "%s: set needs cells and inputs: {Sheet1!B2: spring_rate}", what)
		return w
	}
	seen := map[workbook.Address]bool{}
	for _, e := range set.entries {
		address, err := workbook.ParseAddress(e.key)
		switch {
		case err != nil:
			f.wrong(e.line, "%s: set: %s", what, err)
		case seen[address]:
			f.wrong(e.line, "%s: set: %s stands twice: keep one", what, e.key)
		}
		seen[address] = true
		name := f.singleText(e.value, what+": set: "+e.key)
		w.Set = append(w.Set, CellInput{address, name})
	}
	return w
}

func (f *fileReader) fill(what string, n *node) *Fill {
	if n.kind == scalar {
		f.local(n.line, what+": fill", n.text)
		return &Fill{From: n.text, To: n.text}
	}
	fill := &Fill{}
	f.fields(n, what+": fill", keys{
		"from": func(n *node) { fill.From = f.path(n, what+": fill: from") },
		"to":   func(n *node) { fill.To = f.path(n, what+": fill: to") },
	})
	if fill.From == "" || fill.To == "" {
		f.wrong(n.line, "%s: fill needs the name of a deck, or {from: brake.tpl, to: case/brake.deck}", what)
	}
	return fill
}

func (f *fileReader) path(n *node, what string) string {
	path := f.singleText(n, what)
	f.local(n.line, what, path)
	return path
}

// program allows a name to be found on the PATH, or a path that begins with ./ in the working folder.
func (f *fileReader) program(line int, what, program string) {
	switch {
	case strings.HasPrefix(program, "./"):
		f.local(line, what, program)
	case filepath.IsAbs(program):
	case strings.ContainsAny(program, " \t"):
		f.wrong(line, "%s: run starts a program, not a shell line: write [%s]", what, strings.Join(strings.Fields(program), ", "))
	case strings.Contains(program, "/"):
		f.wrong(line, "%s: a program in the working folder begins with ./: write ./%s", what, program)
	}
}

func (f *fileReader) exitCodes(n *node, what string) []int {
	if n.kind != list || len(n.items) == 0 {
		f.wrong(n.line, "%s: accept needs a list of codes such as [0, 3]", what)
		return nil
	}
	var codes []int
	for _, item := range n.items {
		codes = append(codes, f.whole(item, what+": accept", 0))
	}
	return codes
}

func (f *fileReader) environment(n *node, what string) map[string]string {
	env := map[string]string{}
	if n.kind != mapping {
		f.wrong(n.line, "%s: env needs names and values such as {OMP_NUM_THREADS: \"1\"}", what)
		return nil
	}
	for _, e := range n.entries {
		if strings.ContainsAny(e.key, "=\x00") || e.key == "" {
			f.wrong(e.line, "%s: %q cannot be the name of an environment variable", what, e.key)
		}
		env[e.key] = f.singleText(e.value, what+": env: "+e.key)
	}
	return env
}

func (f *fileReader) output(name string, line int, n *node) {
	f.declare(name, line)
	out := Output{Name: name}
	var family []fieldOf
	before := len(f.problems)
	f.fields(n, name, keys{
		"label":   func(n *node) { out.Label = f.singleText(n, name+": label") },
		"unit":    func(n *node) { out.Unit = f.singleText(n, name+": unit") },
		"file":    func(n *node) { out.File = f.path(n, name+": file") },
		"pointer": func(n *node) { out.Pointer = f.pointer(n, name+": pointer") },
		"match":   func(n *node) { out.Match = f.pattern(n, name) },
		"which":   func(n *node) { out.Which = f.which(n, name) },
		"curve":   func(n *node) { out.Curve = f.curveColumns(n, name) },
		"table":   func(n *node) { out.Table, family = f.table(n, name) },
		"take": func(n *node) {
			takes, _ := formula.Takes()
			out.Take = f.oneOf(n, name+": take", takes)
		},
		"cell": func(n *node) {
			out.Cell = f.singleText(n, name+": cell")
			if _, err := workbook.ParseAddress(out.Cell); err != nil {
				f.wrong(n.line, "%s: %s", name, err)
			}
		},
		"gradient": func(n *node) { out.Gradient = f.gradient(n, name) },
	})
	if len(f.problems) > before {
		return
	}
	f.checkOutput(out, line, len(family))
	if family == nil {
		f.bench.Outputs = append(f.bench.Outputs, out)
		return
	}
	for _, member := range family {
		one := out
		one.Name, one.Table = name+"."+member.name, &Table{out.Table.After, member.field}
		f.lines[one.Name] = line
		f.bench.Outputs = append(f.bench.Outputs, one)
	}
}

func (f *fileReader) pointer(n *node, what string) string {
	pointer := f.singleText(n, what)
	if pointer != "" && pointer[0] != '/' {
		f.wrong(n.line, "%s: a pointer begins with /: write /%s", what, pointer)
	}
	return pointer
}

func (f *fileReader) gradient(n *node, name string) *Gradient {
	g := &Gradient{}
	f.fields(n, name+": gradient", keys{
		"file":    func(n *node) { g.File = f.path(n, name+": gradient: file") },
		"pointer": func(n *node) { g.Pointer = f.pointer(n, name+": gradient: pointer") },
	})
	if n.kind == mapping && g.File == "" {
		f.wrong(n.line, "%s: gradient needs the file and the place of an object with a derivative for each input: {file: result.json, pointer: /gradient/%s}", name, name)
	}
	return g
}

// checkOutput refuses what cannot be read.
func (f *fileReader) checkOutput(out Output, line, family int) {
	readers := 0
	for _, given := range []bool{out.Pointer != "", out.Match != "", out.Table != nil, out.Cell != ""} {
		if given {
			readers++
		}
	}
	switch {
	case out.File == "":
		f.wrong(line, "%s does not say which file it is read from: add file:", out.Name)
	case readers > 1 || readers == 0 && out.Curve == nil:
		f.wrong(line, "%s needs exactly one of pointer, match, table, cell and curve: how is it found in %s?", out.Name, out.File)
	case out.Curve != nil && (out.Match != "" || out.Cell != ""):
		f.wrong(line, "%s: a curve is read from columns, from a table or at a pointer, not by match or cell", out.Name)
	case out.Table != nil && out.Curve == nil && out.Table.Field == 0 && family == 0:
		f.wrong(line, "%s: a table needs field (a number), or fields (names and numbers)", out.Name)
	case out.Table != nil && out.Curve != nil && (out.Table.Field != 0 || family > 0):
		f.wrong(line, "%s: the curve names its fields of the table: remove field", out.Name)
	case out.Take != "" && out.Curve == nil && out.Table == nil && out.Pointer == "" && out.cells() < 2:
		f.wrong(line, "%s: take reduces a curve, a table or a list, and this output is a single number", out.Name)
	case out.Which != 0 && out.Match == "" && out.Table == nil:
		f.wrong(line, "%s: which belongs to match and table", out.Name)
	case out.Gradient != nil && out.Shape() != formula.Number:
		f.wrong(line, "%s: gradient belongs to a single number", out.Name)
	case out.Which == AllBlocks && out.Table == nil:
		f.wrong(line, "%s: which: all belongs to table", out.Name)
	}
	if _, overX := formula.Takes(); overX[out.Take] && out.Curve == nil {
		f.wrong(line, "%s: %s is taken of a curve, and this has no x", out.Name, out.Take)
	}
}

func (f *fileReader) curveColumns(n *node, name string) *Curve {
	c := &Curve{}
	f.fields(n, name+": curve", keys{
		"x":      func(n *node) { c.X = f.singleText(n, name+": x") },
		"y":      func(n *node) { c.Y = f.singleText(n, name+": y") },
		"x_unit": func(n *node) { c.XUnit = f.singleText(n, name+": x_unit") },
	})
	if c.X == "" || c.Y == "" {
		f.wrong(n.line, "%s: a curve names two columns: {x: time, y: decel}", name)
	}
	return c
}

// A fieldOf is a member of a family of outputs.
type fieldOf struct {
	name  string
	field int
}

func (f *fileReader) table(n *node, name string) (*Table, []fieldOf) {
	t := &Table{}
	var family []fieldOf
	f.fields(n, name+": table", keys{
		"after": func(n *node) { t.After = f.singleText(n, name+": after") },
		"field": func(n *node) { t.Field = f.whole(n, name+": field", 1) },
		"fields": func(n *node) {
			f.named(n, name+": fields", false, func(member string, _ int, value *node) {
				family = append(family, fieldOf{member, f.whole(value, name+": fields: "+member, 1)})
			})
		},
	})
	if t.After == "" {
		f.wrong(n.line, "%s: a table needs after: a text of the line above it", name)
	}
	if t.Field != 0 && family != nil {
		f.wrong(n.line, "%s: give field or fields, not both", name)
	}
	return t, family
}

const maxPattern = 1000

func (f *fileReader) pattern(n *node, name string) string {
	pattern := f.singleText(n, name+": match")
	if len(pattern) > maxPattern {
		f.wrong(n.line, "%s: the pattern has %d characters; at most %d are read", name, len(pattern), maxPattern)
		return ""
	}
	compiled, err := regexp.Compile(pattern)
	if err != nil {
		f.wrong(n.line, "%s: the pattern cannot be read: %s", name, err)
		return ""
	}
	if groups := compiled.NumSubexp(); groups != 1 {
		f.wrong(n.line, "%s: the pattern has %d groups (...), it needs exactly one around the number; write (?:...) for others", name, groups)
	}
	return pattern
}

func (f *fileReader) which(n *node, name string) int {
	switch n.text {
	case "last":
		return 0
	case "first":
		return 1
	case "all":
		return AllBlocks
	}
	which, err := strconv.Atoi(n.text)
	if err != nil || which < 1 {
		f.wrong(n.line, "%s: which is last, first, all, or a number from 1, not %s", name, n.text)
	}
	return which
}
