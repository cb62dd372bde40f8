package edit

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"ropebench/bench"
	"ropebench/bench/read"
)

// SetNominals gives inputs other nominals in the text of a bench file; those that it does not name are kept, and so is all else. The
// error says what is in the way.
func SetNominals(file string, text []byte, nominals map[string]bench.Value) ([]byte, error) {
	b, err := read.Read(file, text)
	if err != nil {
		return nil, fmt.Errorf("the bench file has mistakes, which come first: %w", err)
	}
	t := &editor{file: file, lines: strings.Split(string(text), "\n")}
	for _, name := range slices.Sorted(maps.Keys(nominals)) {
		in, known := b.Input(name)
		switch {
		case !known:
			return nil, fmt.Errorf("%s is no input of the bench any more: it was %s", name, nominals[name])
		case in.Nominal == nominals[name]:
			continue
		}
		if err := t.setNominal(name, nominals[name]); err != nil {
			return nil, err
		}
	}
	changed, err := read.Read(file, t.text())
	if err != nil {
		return nil, fmt.Errorf("the bench would not be valid then: %w", err)
	}
	for name, value := range nominals {
		if in, _ := changed.Input(name); in.Nominal != value {
			return nil, fmt.Errorf("the nominal of %s cannot be written where it stands in %s: make it %s there", name, file, value)
		}
	}
	return t.text(), nil
}

func (t *editor) setNominal(name string, value bench.Value) error {
	inputs, _ := t.root().Entry("inputs")
	in, _ := inputs.Value.Entry(name)
	nominal, found := in.Value.Entry("nominal")
	byHand := fmt.Errorf("the nominal of %s on line %d of %s cannot be written where it stands: make it %s there", name, in.Line, t.file, value)
	if !found {
		return byHand
	}
	line, column, written := nominal.Value.Stands()
	if line < 1 || line > len(t.lines) {
		return byHand
	}
	before, rest := t.lines[line-1], ""
	for i := range before {
		if utf8.RuneCountInString(before[:i]) == column-1 {
			before, rest = before[:i], before[i:]
			break
		}
	}
	behind, stands := strings.CutPrefix(rest, written)
	if !stands {
		return byHand
	}
	t.lines[line-1] = before + quotedAs(value, written) + behind
	return nil
}

// quotedAs writes a value, a word with quotes where it needs them, or where what stood there had some.
func quotedAs(value bench.Value, stood string) string {
	if value.Word != "" && (!bench.GoodName.MatchString(value.Word) || strings.ContainsAny(stood[:1], `"'`)) {
		return "'" + strings.ReplaceAll(value.Word, "'", "''") + "'"
	}
	return value.String()
}
