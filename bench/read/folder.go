package read

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// Bounds on what a revision keeps.
const (
	maxFiles      = 10_000
	maxFolderSize = 1 << 30
)

// Load reads a bench file and the files that it names, and checks them all. Mistakes in them are of type Problems.
func Load(path string) (*bench.Bench, bench.Content, error) { return LoadWith(path, nil) }

// LoadWith is Load with other texts for some of the files, by their paths below the folder: what they would be.
func LoadWith(path string, changed map[string][]byte) (*bench.Bench, bench.Content, error) {
	folder, file := filepath.Split(path)
	if folder == "" {
		folder = "."
	}
	text, isChanged := changed[file]
	var err error
	if !isChanged {
		text, err = plain.ReadFile(os.OpenFile, path, maxFileSize)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil, bench.Content{}, fmt.Errorf("there is no file %s: give the path of a bench file (…%s)", path, bench.Suffix)
	}
	if err != nil {
		return nil, bench.Content{}, err
	}
	f, err := readText(file, text)
	if f == nil {
		return nil, bench.Content{}, err
	}
	b := f.bench
	content := bench.Content{File: file, Files: map[string]bench.File{file: {Text: text}}}
	collector := collector{folder: folder, file: file, text: string(text), content: content, changed: changed}
	for _, name := range namedFiles(b) {
		if filepath.IsLocal(name) {
			collector.add(name)
		}
	}
	if err != nil { // files are missing, too: what is in them is for later
		return nil, bench.Content{}, append(f.problems, collector.problems...).Sorted()
	}
	problems := append(collector.problems, f.readFiles(content)...)
	if len(problems) > 0 {
		return nil, bench.Content{}, problems.Sorted()
	}
	if b, problems = f.covered(); len(problems) > 0 {
		return nil, bench.Content{}, problems
	}
	return b, content, nil
}

// Parse reads a bench from its content, as it was kept with a revision.
func Parse(content bench.Content) (*bench.Bench, error) {
	f, err := readText(content.File, content.Files[content.File].Text)
	if err != nil {
		return nil, err
	}
	if problems := f.readFiles(content); len(problems) > 0 {
		return nil, problems.Sorted()
	}
	b, problems := f.covered()
	if len(problems) > 0 {
		return nil, problems
	}
	return b, nil
}

// readFiles takes from the files of a bench what its reading needs, and checks them.
func (f *fileReader) readFiles(content bench.Content) bench.Problems {
	b := f.bench
	problems := f.readCatalogs(content)
	unread := func(in bench.Input) bool { return in.Wordy() && in.Choices.Words == nil }
	if len(problems) > 0 || slices.ContainsFunc(b.Inputs, unread) {
		return problems // their rows and columns are needed to look at anything else
	}
	problems = append(problems, checkDecks(b, content)...)
	problems = append(problems, checkWorkbooks(b, content)...)
	problems = append(problems, readLimitCurves(b, content)...)
	problems = append(problems, f.readScatter(content)...)
	if len(problems) == 0 {
		problems = f.checkCorrelations(content)
	}
	problems = append(problems, f.readPlanTables(content)...)
	problems = append(problems, f.readMeasured(content)...)
	return append(problems, readAlong(b, content)...)
}

// namedFiles lists the paths, files or folders, that the bench names.
func namedFiles(b *bench.Bench) []string {
	names := slices.Clone(b.Solver.Files)
	for _, step := range b.Solver.AllSteps() {
		if step.Fill != nil {
			names = append(names, step.Fill.From)
		} else if step.Workbook != nil {
			names = append(names, step.Workbook.File)
		} else if step.Run != nil && step.Run.Stdin != "" && !b.Written(step.Run.Stdin) {
			names = append(names, step.Run.Stdin)
		}
	}
	for _, in := range b.Inputs {
		if in.Choices != nil && in.Choices.Catalog != "" {
			names = append(names, in.Choices.Catalog)
		}
		if in.Scatter != nil && in.Scatter.File != "" {
			names = append(names, in.Scatter.File)
		}
	}
	for _, q := range b.Requirements {
		if q.File != "" {
			names = append(names, q.File)
		}
	}
	for _, formula := range b.Solver.Formulas {
		if formula.Along != nil && formula.Along.File != "" {
			names = append(names, formula.Along.File)
		}
	}
	for _, s := range b.Studies {
		if naming, is := s.Settings.(interface{ Named() []string }); is {
			names = append(names, naming.Named()...)
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// A collector reads the named files into the content.
type collector struct {
	folder, file, text string
	content            bench.Content
	changed            map[string][]byte
	size               int64
	problems           bench.Problems
}

func (c *collector) wrong(name, format string, args ...any) {
	line := 1
	for i, text := range strings.Split(c.text, "\n") {
		if strings.Contains(text, name) {
			line = i + 1
			break
		}
	}
	c.problems = append(c.problems, bench.Problem{File: c.file, Line: line, Message: fmt.Sprintf(format, args...)})
}

func (c *collector) add(name string) {
	root, err := os.OpenRoot(c.folder) // no link leads out of it
	if err != nil {
		c.wrong(name, "the folder of the bench cannot be read: %s", err)
		return
	}
	defer root.Close()
	if text, isChanged := c.changed[bench.ContentPath(name)]; isChanged {
		c.content.Files[bench.ContentPath(name)] = bench.File{Text: text}
		return
	}
	info, err := root.Stat(filepath.Clean(name))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		c.wrong(name, "the file %s is missing in the folder of the bench: add it or correct its name", name)
	case err != nil:
		c.wrong(name, "%s cannot be used: %s; copy it into the folder of the bench", name, err)
	case info.IsDir():
		err := fs.WalkDir(root.FS(), filepath.ToSlash(filepath.Clean(name)), func(path string, entry fs.DirEntry, err error) error {
			if err == nil && !entry.IsDir() {
				c.read(root, path)
			}
			return err
		})
		if err != nil {
			c.wrong(name, "the folder %s cannot be read: %s", name, err)
		}
	default:
		c.read(root, filepath.ToSlash(filepath.Clean(name)))
	}
}

func (c *collector) read(root *os.Root, path string) {
	if _, known := c.content.Files[path]; known {
		return
	}
	info, err := root.Stat(path)
	if err == nil && !info.Mode().IsRegular() {
		err = errors.New("it is not a plain file")
	}
	if err != nil {
		c.wrong(path, "%s cannot be used: %s", path, err)
		return
	}
	if c.size += info.Size(); c.size > maxFolderSize || len(c.content.Files) >= maxFiles {
		c.wrong(path, "the files that the bench names are more than %d, or larger than %d MB in all: name fewer", maxFiles, maxFolderSize>>20)
		return
	}
	text, err := plain.ReadFile(root.OpenFile, path, maxFolderSize)
	if err != nil {
		c.wrong(path, "%s cannot be read: %s", path, err)
		return
	}
	c.content.Files[path] = bench.File{Text: text, Executable: info.Mode()&0o111 != 0}
}

// checkDecks parses every deck and argument, and looks up the names in their blanks.
func checkDecks(b *bench.Bench, content bench.Content) bench.Problems {
	var problems bench.Problems
	b.Solver.Written = map[string]bool{}
	only := b.InputsOnly()
	known := slices.Sorted(maps.Keys(only))
	for _, step := range b.Solver.AllSteps() {
		if step.Fill != nil {
			deck, wrong := deck.Of(step.Fill, content.Files[bench.ContentPath(step.Fill.From)].Text)
			problems = append(append(problems, wrong...), checkBlanks(b, step.Fill.From, deck, only, known)...)
			continue
		}
		if step.Run == nil {
			continue
		}
		for i, argument := range step.Run.Args {
			where := fmt.Sprintf("%s, argument %d of %s", content.File, i, step.Run.Args[0])
			deck, wrong := deck.Parse(where, []byte(argument))
			problems = append(append(problems, wrong...), checkBlanks(b, where, deck, only, known)...)
		}
		for _, name := range slices.Sorted(maps.Keys(step.Run.Env)) {
			where := fmt.Sprintf("%s, %s in env of %s", content.File, name, step.Run.Args[0])
			deck, wrong := deck.Parse(where, []byte(step.Run.Env[name]))
			problems = append(append(problems, wrong...), checkBlanks(b, where, deck, only, known)...)
		}
	}
	return problems
}

// checkBlanks looks up the names in the blanks of a deck.
func checkBlanks(b *bench.Bench, file string, deck deck.Deck, only map[string]bool, known []string) bench.Problems {
	var problems bench.Problems
	row := b.NominalRow()
	for _, blank := range deck.Blanks() {
		for _, name := range blank.Names {
			b.Solver.Written[name] = true
			value, isInput := b.ValueIn(row, name)
			isWord := isInput && value.Word != ""
			wrong := func(format string, args ...any) {
				problems = append(problems, bench.Problem{File: file, Line: blank.Line, Message: fmt.Sprintf(format, args...)})
			}
			switch {
			case !only[name] && blank.Formula:
				wrong("the formula %s names %s, which is no input, nor derived from inputs alone%s", blank.Text, name, formula.Suggest(name, known))
			case !only[name]:
				wrong("@[%s] is no input, nor derived from inputs alone%s", name, formula.Suggest(name, known))
			case blank.Formula && isWord:
				wrong("the formula %s names %s, which is a word: nothing can be calculated with it", blank.Text, name)
			case blank.Format != "" && isWord != strings.HasSuffix(blank.Format, "s"):
				wrong("the format %s does not fit @[%s], which is %q: numbers are written by %%10.4e or %%6d, words by %%-8s", blank.Format, name, value)
			}
		}
	}
	if len(problems) > 0 {
		return problems
	}
	return deck.Misfits(file, b)
}
