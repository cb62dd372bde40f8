package read

import (
	"maps"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/workbook"
)

const defaultLimit = time.Hour

// stepOptions are the kinds of steps, each with the keys that may stand beside it.
var stepOptions = map[string][]string{
	"fill":     {"put"},
	"run":      {"limit", "stdin", "stdout", "accept", "env", "fail_if", "version"},
	"ask":      {"limit", "env", "fail_if", "version"},
	"post":     {"save", "limit", "accept", "fail_if"},
	"workbook": {"set", "by"},
}

const stepKinds = "fill, run, ask, post and workbook"

// solverStep reads a step that stands behind others.
func (f *fileReader) solverStep(what string, n *Node, before []bench.Step) (step bench.Step) {
	if n.kind != mapping {
		f.wrong(n.line, "%s needs one of %s, not %s", what, stepKinds, n.kind)
		return step
	}
	given, known := map[string]*Node{}, keys{}
	for kind, options := range stepOptions {
		for _, key := range append(options, kind) {
			known[key] = func(n *Node) { given[key] = n }
		}
	}
	mistakes := len(f.problems)
	f.fields(n, what, known)
	if len(f.problems) > mistakes {
		return step
	}
	var kinds []string
	for _, kind := range slices.Sorted(maps.Keys(stepOptions)) {
		if given[kind] != nil {
			kinds = append(kinds, kind)
		}
	}
	if len(kinds) != 1 {
		f.wrong(n.line, "%s needs exactly one of %s", what, stepKinds)
		return step
	}
	for _, key := range slices.Sorted(maps.Keys(given)) {
		if key != kinds[0] && !slices.Contains(stepOptions[kinds[0]], key) {
			f.wrong(given[key].line, "%s: %s does not belong to %s", what, key, kinds[0])
		}
	}
	switch kinds[0] {
	case "fill":
		step.Fill = f.fill(what, given["fill"])
		if put := given["put"]; put != nil {
			step.Fill.Put = f.places(what, put)
		}
	case "run":
		step.Run = f.run(what, given)
	case "ask":
		step.Ask = f.ask(what, given, before)
	case "workbook":
		step.Workbook = f.workbook(what, given)
	case "post":
		step.Post = f.post(what, given)
	}
	if option := given["fail_if"]; option != nil {
		step.FailIf = f.failIf(what+": fail_if", option)
	}
	if option := given["version"]; option != nil {
		if step.Version = f.texts(option, what+": version"); len(step.Version) == 0 {
			f.wrong(option.line, "%s: version needs an argument list that makes a program say which one it is, as in [zipsim, --version]", what)
		} else {
			f.program(option.line, what, step.Version[0])
		}
	}
	return step
}

// ask reads a program that stays. There is one at most among the steps, since outputs are read from its answer.
func (f *fileReader) ask(what string, given map[string]*Node, before []bench.Step) *bench.Ask {
	n := given["ask"]
	ask := &bench.Ask{Limit: defaultLimit}
	if ask.Args = f.texts(n, what+": ask"); len(ask.Args) == 0 {
		f.wrong(n.line, "%s: ask needs an argument list: the program first, as in [python3, model.py]", what)
	} else {
		f.program(n.line, what, ask.Args[0])
	}
	for _, argument := range ask.Args {
		if strings.Contains(argument, "@[") {
			f.wrong(n.line, "%s: the program is started once for many designs, so %s cannot stand among its arguments: it gets the inputs with each question", what, argument)
		}
	}
	if slices.ContainsFunc(before, asks) {
		f.wrong(n.line, "%s: another step asks a program already, and outputs are read from one answer: let one program do both, or let this one run", what)
	}
	if option := given["limit"]; option != nil {
		ask.Limit = f.duration(option, what+": limit")
	}
	if option := given["env"]; option != nil {
		ask.Env = f.environment(option, what)
		for name, text := range ask.Env {
			if strings.Contains(text, "@[") {
				f.wrong(option.line, "%s: the program is started once for many designs, so %s cannot stand in its environment (%s): it gets the inputs with each question", what, text, name)
			}
		}
	}
	return ask
}

// failIf reads which line of a file says that a step gave up.
func (f *fileReader) failIf(what string, n *Node) *bench.FailIf {
	gave := &bench.FailIf{}
	f.fields(n, what, keys{
		"file": func(n *Node) { gave.File = f.path(n, what+": file") },
		"match": func(n *Node) {
			gave.Match = f.singleText(n, what+": match")
			if _, err := regexp.Compile(gave.Match); err != nil || len(gave.Match) > maxPattern {
				f.wrong(n.line, "%s: the pattern cannot be read: %s", what, patternMistake(err))
			}
		},
	})
	if n.kind == mapping && (gave.File == "" || gave.Match == "") {
		f.wrong(n.line, "%s needs a file and a pattern: {file: run.log, match: 'NOT CONVERGED'}", what)
	}
	return gave
}

func (f *fileReader) run(what string, given map[string]*Node) *bench.Run {
	run := &bench.Run{Limit: defaultLimit, Accept: []int{0}}
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

func (f *fileReader) post(what string, given map[string]*Node) *bench.Post {
	post := &bench.Post{URL: f.singleText(given["post"], what+": post"), Limit: defaultLimit}
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

func (f *fileReader) workbook(what string, given map[string]*Node) *bench.Workbook {
	w := &bench.Workbook{File: f.path(given["workbook"], what+": workbook")}
	set := given["set"]
	switch {
	case set == nil:
		f.wrong(given["workbook"].line, "%s: workbook needs set: which cells get which inputs, as in {Sheet1!B2: spring_rate}", what)
		return w
	case set.kind != mapping || len(set.Entries) == 0:
		f.wrong(set.line, "%s: set needs cells and inputs: {Sheet1!B2: spring_rate}", what)
		return w
	}
	if by := given["by"]; by != nil {
		if w.By = f.singleText(by, what+": by"); w.By != workbook.ByOffice && w.By != workbook.ByBuiltIn {
			f.wrong(by.line, "%s: by is %s (the default where it is installed) or %s, not %q", what, workbook.ByOffice, workbook.ByBuiltIn, w.By)
			w.By = ""
		}
	}
	seen := map[workbook.Address]bool{}
	for _, e := range set.Entries {
		address, err := workbook.ParseAddress(e.key)
		switch {
		case err != nil:
			f.wrong(e.Line, "%s: set: %s", what, err)
		case seen[address]:
			f.wrong(e.Line, "%s: set: %s stands twice: keep one", what, e.key)
		}
		seen[address] = true
		name := f.singleText(e.Value, what+": set: "+e.key)
		w.Set = append(w.Set, bench.CellInput{Cell: address, Input: name})
	}
	return w
}

func (f *fileReader) fill(what string, n *Node) *bench.Fill {
	if n.kind == scalar {
		f.local(n.line, what+": fill", n.Text)
		return &bench.Fill{From: n.Text, To: n.Text}
	}
	fill := &bench.Fill{}
	f.fields(n, what+": fill", keys{
		"from": func(n *Node) { fill.From = f.path(n, what+": fill: from") },
		"to":   func(n *Node) { fill.To = f.path(n, what+": fill: to") },
	})
	if fill.From == "" || fill.To == "" {
		f.wrong(n.line, "%s: fill needs the name of a deck, or {from: brake.tpl, to: case/brake.deck}", what)
	}
	return fill
}

func (f *fileReader) path(n *Node, what string) string {
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

func (f *fileReader) exitCodes(n *Node, what string) []int {
	if n.kind != list || len(n.Items) == 0 {
		f.wrong(n.line, "%s: accept needs a list of codes such as [0, 3]", what)
		return nil
	}
	var codes []int
	for _, item := range n.Items {
		codes = append(codes, f.whole(item, what+": accept", 0))
	}
	return codes
}

func (f *fileReader) environment(n *Node, what string) map[string]string {
	env := map[string]string{}
	if n.kind != mapping {
		f.wrong(n.line, "%s: env needs names and values such as {OMP_NUM_THREADS: \"1\"}", what)
		return nil
	}
	for _, e := range n.Entries {
		if strings.ContainsAny(e.key, "=\x00") || e.key == "" {
			f.wrong(e.Line, "%s: %q cannot be the name of an environment variable", what, e.key)
		}
		env[e.key] = f.singleText(e.Value, what+": env: "+e.key)
	}
	return env
}
