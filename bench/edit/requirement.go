package edit

import (
	"fmt"
	"strings"

	"ropebench/bench"
	"ropebench/bench/read"
)

// AddRequirement writes a requirement into the text of a bench file: its id, and what stands behind it. All else stays as it is. The error says what is
// wrong with it.
func AddRequirement(file string, text []byte, id, yaml string) ([]byte, error) {
	b, err := read.Read(file, text)
	if err != nil {
		return nil, fmt.Errorf("the bench file has mistakes, which come first: %w", err)
	}
	if !bench.GoodDashName.MatchString(id) {
		return nil, fmt.Errorf("%q cannot be an id: a letter, then letters, digits, _ and -", id)
	}
	if _, known := b.Requirement(id); known {
		return nil, fmt.Errorf("%s is a requirement already", id)
	}
	t := &editor{file: file, lines: strings.Split(string(text), "\n")}
	if err := t.addEntry("requirements", id+": "+yaml, "derived", "outputs", "solver"); err != nil {
		return nil, err
	}
	if _, err := read.Read(file, t.text()); err != nil {
		return nil, fmt.Errorf("the bench would not be valid then: %w", err)
	}
	return t.text(), nil
}
