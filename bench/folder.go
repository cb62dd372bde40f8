package bench

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ropebench/core/formula"
)

// Suffix is how the name of every bench file ends; what stands before it is the name of the bench.
const Suffix = ".bench.yaml"

// Bounds on what a revision keeps.
const (
	maxFiles      = 10_000
	maxFolderSize = 1 << 30
)

// Content is what a bench consists of: the bench file and every file that it names, by their paths below the folder,
// with / between parts.
type Content struct {
	File  string
	Files map[string]File
}

// A File is one of the files of a bench.
type File struct {
	Text       []byte
	Executable bool
}

// Name is the stem of a bench file: zipline for zipline.bench.yaml. The error says what is wrong with the name.
func Name(file string) (string, error) {
	name, isBench := strings.CutSuffix(filepath.Base(file), Suffix)
	if !isBench {
		return "", fmt.Errorf("%s is not a bench file: its name must end in %s", file, Suffix)
	}
	if !goodDashName.MatchString(name) {
		return "", fmt.Errorf("the name %q of a bench must be a letter, then letters, digits, _ and -: rename the file", name)
	}
	return name, nil
}

// Load reads a bench file and the files that it names, and checks them all. Mistakes in them are of type Problems.
func Load(path string) (*Bench, Content, error) { return LoadWith(path, nil) }

// LoadWith is Load with other texts for some of the files, by their paths below the folder: what they would be.
func LoadWith(path string, changed map[string][]byte) (*Bench, Content, error) {
	folder, file := filepath.Split(path)
	if folder == "" {
		folder = "."
	}
	text, isChanged := changed[file]
	var err error
	if !isChanged {
		text, err = os.ReadFile(path)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil, Content{}, fmt.Errorf("there is no file %s: give the path of a bench file (…%s)", path, Suffix)
	}
	if err != nil {
		return nil, Content{}, err
	}
	b, err := Read(file, text)
	if err != nil {
		return nil, Content{}, err
	}
	content := Content{File: file, Files: map[string]File{file: {Text: text}}}
	collector := collector{folder: folder, file: file, text: string(text), content: content, changed: changed}
	for _, name := range b.namedFiles() {
		collector.add(name)
	}
	problems := append(collector.problems, b.readFiles(content)...)
	if len(problems) > 0 {
		return nil, Content{}, problems.sorted()
	}
	return b, content, nil
}

// Parse reads a bench from its content, as it was kept with a revision.
func Parse(content Content) (*Bench, error) {
	b, err := Read(content.File, content.Files[content.File].Text)
	if err != nil {
		return nil, err
	}
	if problems := b.readFiles(content); len(problems) > 0 {
		return nil, problems.sorted()
	}
	return b, nil
}

// readFiles takes from the files of a bench what its reading needs, and checks them.
func (b *Bench) readFiles(content Content) Problems {
	problems := b.readCatalogs(content)
	unread := func(in Input) bool { return in.wordy() && in.Choices.Words == nil }
	if len(problems) > 0 || slices.ContainsFunc(b.Inputs, unread) {
		return problems // their rows and columns are needed to look at anything else
	}
	problems = append(problems, b.checkDecks(content)...)
	problems = append(problems, b.checkWorkbooks(content)...)
	problems = append(problems, b.readLimitCurves(content)...)
	problems = append(problems, b.readScatter(content)...)
	return append(problems, b.readAlong(content)...)
}

// namedFiles lists the paths, files or folders, that the bench names.
func (b *Bench) namedFiles() []string {
	names := slices.Clone(b.Solver.Files)
	for _, step := range b.Solver.Steps {
		if step.Fill != nil {
			names = append(names, step.Fill.From)
		} else if step.Workbook != nil {
			names = append(names, step.Workbook.File)
		} else if step.Run != nil && step.Run.Stdin != "" && !b.written(step.Run.Stdin) {
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
	slices.Sort(names)
	return slices.Compact(names)
}

// written is true for a file that a step makes.
func (b *Bench) written(path string) bool {
	for _, step := range b.Solver.Steps {
		if step.Fill != nil && step.Fill.To == path || step.Run != nil && step.Run.Stdout == path || step.Post != nil && step.Post.Save == path {
			return true
		}
	}
	return false
}

// A collector reads the named files into the content.
type collector struct {
	folder, file, text string
	content            Content
	changed            map[string][]byte
	size               int64
	problems           Problems
}

func (c *collector) wrong(name, format string, args ...any) {
	line := 1
	for i, text := range strings.Split(c.text, "\n") {
		if strings.Contains(text, name) {
			line = i + 1
			break
		}
	}
	c.problems = append(c.problems, Problem{c.file, line, fmt.Sprintf(format, args...)})
}

func (c *collector) add(name string) {
	root, err := os.OpenRoot(c.folder) // no link leads out of it
	if err != nil {
		c.wrong(name, "the folder of the bench cannot be read: %s", err)
		return
	}
	defer root.Close()
	if text, isChanged := c.changed[ContentPath(name)]; isChanged {
		c.content.Files[ContentPath(name)] = File{Text: text}
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
	text, err := root.ReadFile(path)
	if err != nil {
		c.wrong(path, "%s cannot be read: %s", path, err)
		return
	}
	c.content.Files[path] = File{text, info.Mode()&0o111 != 0}
}

// ContentPath is the path of a file in the content of a bench.
func ContentPath(path string) string { return filepath.ToSlash(filepath.Clean(path)) }

// checkDecks parses every deck and argument, and looks up the names in their slots.
func (b *Bench) checkDecks(content Content) Problems {
	var problems Problems
	only := b.InputsOnly()
	known := slices.Sorted(maps.Keys(only))
	for _, step := range b.Solver.Steps {
		if step.Fill != nil {
			deck, wrong := step.Fill.Deck(content.Files[ContentPath(step.Fill.From)].Text)
			problems = append(append(problems, wrong...), b.checkSlots(step.Fill.From, deck, only, known)...)
			continue
		}
		if step.Run == nil {
			continue
		}
		for i, argument := range step.Run.Args {
			where := fmt.Sprintf("%s, argument %d of %s", content.File, i, step.Run.Args[0])
			deck, wrong := ParseDeck(where, []byte(argument))
			problems = append(append(problems, wrong...), b.checkSlots(where, deck, only, known)...)
		}
	}
	return problems
}

// checkSlots looks up the names in the slots of a deck.
func (b *Bench) checkSlots(file string, deck Deck, only map[string]bool, known []string) Problems {
	var problems Problems
	names, lines := deck.Names()
	row := b.NominalRow()
	for i, name := range names {
		if !only[name] {
			problems = append(problems, Problem{file, lines[i], fmt.Sprintf("@[%s] is no input, nor derived from inputs alone%s", name, formula.Suggest(name, known))})
			continue
		}
		value, isInput := b.ValueIn(row, name)
		if format := deck.formatAt(i); format != "" && (isInput && value.Word != "") != strings.HasSuffix(format, "s") {
			problems = append(problems, Problem{file, lines[i], fmt.Sprintf("the format %s does not fit @[%s], which is %q: numbers are written by %%10.4e or %%6d, words by %%-8s", format, name, value)})
		}
	}
	return problems
}

// PlacesIn shows every slot and place of the decks of a bench, with its line before and after the nominal values are
// written into it.
func (b *Bench) PlacesIn(content Content) ([]Change, error) {
	nominal := b.NominalRow()
	only := b.InputsOnly()
	var value func(name string) Value
	value = func(name string) Value {
		if value, isInput := b.ValueIn(nominal, name); isInput {
			return value
		}
		d, _ := find(b.Derived, name, func(d Derived) string { return d.Name })
		computed, err := d.Formula.Evaluate(func(name string) formula.Value { return formula.Scalar(value(name).Number) })
		if err != nil || !only[name] {
			return Number(0)
		}
		return Number(computed.Number)
	}
	var changes []Change
	for _, step := range b.Solver.Steps {
		if step.Fill == nil {
			continue
		}
		text := content.Files[ContentPath(step.Fill.From)].Text
		deck, problems := step.Fill.Deck(text)
		if len(problems) > 0 {
			return nil, problems
		}
		more, err := deck.Changes(step.Fill.From, text, value)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", step.Fill.From, err)
		}
		changes = append(changes, more...)
	}
	return changes, nil
}
