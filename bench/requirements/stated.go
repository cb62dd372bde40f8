// Package requirements reads requirements from lists that other programs keep, and writes verdicts into them: CSV, and ReqIF 1.2, the exchange format
// for requirements of the Object Management Group (formal/16-07-01).
package requirements

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// A Stated requirement is one of a list, with what the list says of it by the keys of a bench file.
type Stated struct {
	ID     string
	Fields map[string]string
	// Unread is why it cannot be taken into a bench; "": it can.
	Unread string
}

// keys are those that a list may have, in the order in which a bench file has them. Numbers is true for those that are numbers.
var keys = []struct {
	name   string
	number bool
}{
	{"says", false}, {"of", false}, {"at_most", true}, {"at_least", true}, {"equals", true}, {"within", true}, {"reserve", true}, {"with_probability", true}, {"wish", false}, {"price", true},
}

var limits = []string{"at_most", "at_least", "equals"}

// complete says what is in the way of a requirement.
func complete(s Stated) Stated {
	given := 0
	for _, limit := range limits {
		if s.Fields[limit] != "" {
			given++
		}
	}
	switch {
	case !bench.GoodDashName.MatchString(s.ID):
		s.Unread = fmt.Sprintf("%q cannot be an id: a letter, then letters, digits, _ and -", s.ID)
	case s.Fields["of"] == "":
		s.Unread = "it has no of, the value or formula of the bench that it is about"
	case given == 0:
		s.Unread = "it has no limit: at_most, at_least or equals"
	case given > 1 && !(given == 2 && s.Fields["equals"] == ""):
		s.Unread = "it has several limits that do not go together"
	case s.Fields["equals"] != "" && s.Fields["within"] == "":
		s.Unread = "equals needs within"
	}
	for _, key := range keys {
		if text := s.Fields[key.name]; key.number && text != "" && s.Unread == "" {
			if _, is := plain.YAMLNumber(text); !is {
				s.Unread = fmt.Sprintf("%s is %q, and no number", key.name, text)
			}
		}
	}
	if wish := s.Fields["wish"]; s.Unread == "" && wish != "" && wish != "true" && wish != "false" {
		s.Unread = fmt.Sprintf("wish is true or false, and not %q", wish)
	}
	return s
}

// YAML is how it stands in a bench file, without its id.
func (s Stated) YAML() string {
	var parts []string
	between := s.Fields["at_most"] != "" && s.Fields["at_least"] != ""
	for _, key := range keys {
		text := s.Fields[key.name]
		switch {
		case text == "" || key.name == "wish" && text == "false":
		case between && key.name == "at_most":
			parts = append(parts, fmt.Sprintf("between: [%s, %s]", s.Fields["at_least"], text))
		case between && key.name == "at_least":
		case key.number || key.name == "wish":
			parts = append(parts, key.name+": "+text)
		default:
			parts = append(parts, key.name+": "+strconv.Quote(text))
		}
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

// FromCSV reads a list with a header: id, says, of, at_most, at_least, equals, within, reserve, with_probability, wish, price, in any order. Other columns
// are for others, and left alone.
func FromCSV(text []byte) ([]Stated, error) {
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))))
	if first, _, _ := bytes.Cut(text, []byte("\n")); bytes.Count(first, []byte(";")) > bytes.Count(first, []byte(",")) {
		r.Comma = ';'
	}
	header, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("the list has no header: it names the columns, such as id,says,of,at_most,at_least: %w", err)
	}
	for k := range header {
		header[k] = keyOf(header[k])
	}
	if !slices.Contains(header, "id") || !slices.Contains(header, "of") {
		return nil, fmt.Errorf("the header has %s: it needs id and of, and a limit: at_most, at_least or equals", strings.Join(header, ", "))
	}
	var all []Stated
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return unique(all), nil
		}
		if err != nil {
			return nil, fmt.Errorf("the list cannot be read: %w", err)
		}
		s := Stated{Fields: map[string]string{}}
		for k, cell := range row {
			if cell = strings.TrimSpace(cell); header[k] == "id" {
				s.ID = cell
			} else if cell != "" {
				s.Fields[header[k]] = cell
			}
		}
		all = append(all, complete(s))
	}
}

// keyOf is a key of a bench file that a heading means.
func keyOf(heading string) string {
	return strings.ToLower(strings.NewReplacer(" ", "_", "-", "_").Replace(strings.TrimSpace(heading)))
}

// unique marks requirements whose id another one has.
func unique(all []Stated) []Stated {
	seen := map[string]bool{}
	for i, s := range all {
		if seen[s.ID] && s.Unread == "" {
			all[i].Unread = "another one of the list has this id"
		}
		seen[s.ID] = true
	}
	return all
}
