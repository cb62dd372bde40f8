package steps

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/go-openapi/jsonpointer"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A document is a JSON file of which only what outputs point at is kept: slices of its text, by their pointers.
type document map[string]jsontext.Value

// document reads a JSON file once, for all outputs that are read from it.
func (f *resultFiles) document(file string) (document, error) {
	if known, is := f.documents[file]; is {
		return known, nil
	}
	text, err := f.whole(file)
	if err != nil {
		return nil, err
	}
	s := scan{text: text.Bytes(), decoder: decoderOf(text), found: document{}}
	if err := s.walk(f.wanted[file]); err != nil {
		return nil, fmt.Errorf("%s is not JSON: %w", file, err)
	}
	f.documents[file] = s.found
	return s.found, nil
}

// whole is the text of a file, or of an answer.
func (f *resultFiles) whole(file string) (*bytes.Buffer, error) {
	if file == answerOutputs || file == answerGradient {
		if len(f.answers[file]) == 0 {
			return bytes.NewBufferString("null"), nil
		}
		return bytes.NewBuffer(f.answers[file]), nil
	}
	opened, err := f.open(file, maxJSON)
	if err != nil {
		return nil, err
	}
	defer opened.Close()
	info, err := opened.Stat()
	if err != nil {
		return nil, err
	}
	text := bytes.NewBuffer(make([]byte, 0, info.Size()+bytes.MinRead)) // so that it is held once
	if _, err := io.Copy(text, opened); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", file, err)
	}
	return text, nil
}

// decoderOf takes what solvers write: a name that stands twice has its last value.
func decoderOf(text *bytes.Buffer) *jsontext.Decoder {
	return jsontext.NewDecoder(text, jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
}

// A target is a pointer on the way to what it points at: the tokens that are left.
type target struct {
	pointer string
	tokens  []string
}

type scan struct {
	text    []byte
	decoder *jsontext.Decoder
	found   document
}

// walk reads the next value, and keeps what the targets point at in it.
func (s *scan) walk(targets []target) error {
	from := s.decoder.InputOffset()
	inner := slices.DeleteFunc(slices.Clone(targets), func(t target) bool { return len(t.tokens) == 0 })
	if err := s.enter(inner); err != nil {
		return err
	}
	value := bytes.TrimLeft(s.text[from:s.decoder.InputOffset()], " \t\r\n,:")
	for _, t := range targets {
		if len(t.tokens) == 0 {
			s.found[t.pointer] = value
		}
	}
	return nil
}

// enter goes through a value in which there are targets, and past any other.
func (s *scan) enter(targets []target) error {
	kind := s.decoder.PeekKind()
	if len(targets) == 0 || kind != '{' && kind != '[' {
		return s.decoder.SkipValue()
	}
	if _, err := s.decoder.ReadToken(); err != nil {
		return err
	}
	for i := 0; ; i++ {
		next := s.decoder.PeekKind()
		if next == '}' || next == ']' || next == 0 {
			_, err := s.decoder.ReadToken()
			return err
		}
		name := strconv.Itoa(i)
		if kind == '{' {
			token, err := s.decoder.ReadToken()
			if err != nil {
				return err
			}
			name = token.String()
		}
		var inner []target
		for _, t := range targets {
			if t.tokens[0] == name {
				inner = append(inner, target{t.pointer, t.tokens[1:]})
			}
		}
		if err := s.walk(inner); err != nil {
			return err
		}
	}
}

// at is what stands at a pointer.
func (f *resultFiles) at(out bench.Output) (jsontext.Value, error) {
	document, err := f.document(out.File)
	if err != nil {
		return nil, err
	}
	found, is := document[out.Pointer]
	if !is {
		return nil, looked{error: fmt.Errorf("%s has nothing at %s", out.File, placeOf(out.Pointer)), file: out.File, wanted: out.Pointer}
	}
	return found, nil
}

// placeOf is a pointer in words.
func placeOf(pointer string) string { return cmp.Or(pointer, "its root") }

func jsonNumber(found jsontext.Value, out bench.Output) (float64, error) {
	if found.Kind() == '0' {
		return strconv.ParseFloat(string(found), 64)
	}
	hint := ""
	if found.Kind() == '[' {
		hint = "; take reduces a list"
	}
	shown := found
	if len(shown) == 0 {
		shown = jsontext.Value("nothing")
	}
	return 0, fmt.Errorf("at %s in %s stands %s where a number was due%s", placeOf(out.Pointer), out.File, plain.Short(string(shown)), hint)
}

// gradient reads an object that has the derivatives of an output by inputs. It need not name all of them.
func (f *resultFiles) gradient(g bench.Gradient, inputs []string) (map[string]float64, error) {
	out := bench.Output{File: g.File, Pointer: g.Pointer}
	found, err := f.at(out)
	if err != nil {
		return nil, err
	}
	if found.Kind() != '{' {
		return nil, fmt.Errorf("at %s in %s stands no object with a derivative for each input", placeOf(g.Pointer), g.File)
	}
	gradient := map[string]float64{}
	err = eachMember(found, func(name string, derivative jsontext.Value) (err error) {
		if !slices.Contains(inputs, name) {
			return fmt.Errorf("%s at %s in %s is no input%s", name, placeOf(g.Pointer), g.File, formula.Suggest(name, inputs))
		}
		gradient[name], err = jsonNumber(derivative, out)
		return err
	})
	return gradient, err
}

// eachMember goes through the members of an object.
func eachMember(object jsontext.Value, visit func(name string, value jsontext.Value) error) error {
	return each(object, func(d *jsontext.Decoder) error {
		token, err := d.ReadToken()
		if err != nil {
			return err
		}
		name := token.String()
		value, err := d.ReadValue()
		if err != nil {
			return err
		}
		return visit(name, value)
	})
}

// eachItem goes through the items of a list.
func eachItem(list jsontext.Value, visit func(i int, value jsontext.Value) error) error {
	i := -1
	return each(list, func(d *jsontext.Decoder) error {
		value, err := d.ReadValue()
		if err != nil {
			return err
		}
		i++
		return visit(i, value)
	})
}

func each(value jsontext.Value, visit func(d *jsontext.Decoder) error) error {
	d := decoderOf(bytes.NewBuffer(value))
	if _, err := d.ReadToken(); err != nil {
		return err
	}
	for d.PeekKind() != '}' && d.PeekKind() != ']' {
		if err := visit(d); err != nil {
			return err
		}
	}
	return nil
}

// listAt reads a list of numbers.
func (f *resultFiles) listAt(out bench.Output) (curve.Curve, error) {
	found, err := f.at(out)
	if err != nil {
		return curve.Curve{}, err
	}
	y, err := jsonNumbers(found, out)
	return curve.Curve{Y: y}, err
}

func jsonNumbers(found jsontext.Value, out bench.Output) ([]float64, error) {
	if found.Kind() != '[' {
		return nil, fmt.Errorf("at %s in %s stands no list of numbers", placeOf(out.Pointer), out.File)
	}
	count := 0
	if err := eachItem(found, func(i int, _ jsontext.Value) error { count = i + 1; return nil }); err != nil {
		return nil, err
	}
	numbers := make([]float64, count)
	err := eachItem(found, func(i int, item jsontext.Value) (err error) {
		if numbers[i], err = jsonNumber(item, out); err != nil {
			return fmt.Errorf("item %d: %w", i+1, err)
		}
		return nil
	})
	return numbers, err
}

// curveAt reads a curve: an object with a list for x and one for y, or a list of rows, which are objects with these members
// or lists with these positions, from 1.
func (f *resultFiles) curveAt(out bench.Output) (c curve.Curve, err error) {
	found, err := f.at(out)
	if err != nil {
		return c, err
	}
	switch found.Kind() {
	case '{':
		columns := map[string]jsontext.Value{}
		if err := eachMember(found, func(name string, value jsontext.Value) error {
			if name == out.Curve.X || name == out.Curve.Y {
				columns[name] = slices.Clone(value)
			}
			return nil
		}); err != nil {
			return c, err
		}
		if c.X, err = jsonNumbers(columns[out.Curve.X], out); err != nil {
			return c, fmt.Errorf("%s: %w", out.Curve.X, err)
		}
		if c.Y, err = jsonNumbers(columns[out.Curve.Y], out); err != nil {
			return c, fmt.Errorf("%s: %w", out.Curve.Y, err)
		}
		return c, nil
	case '[':
		err := eachItem(found, func(i int, row jsontext.Value) error {
			x, err := jsonNumber(member(row, out.Curve.X), out)
			y, yErr := jsonNumber(member(row, out.Curve.Y), out)
			if err != nil || yErr != nil {
				return fmt.Errorf("row %d at %s in %s has no numbers for %s and %s", i+1, placeOf(out.Pointer), out.File, out.Curve.X, out.Curve.Y)
			}
			c.X, c.Y = append(c.X, x), append(c.Y, y)
			return nil
		})
		return c, err
	}
	return c, fmt.Errorf("at %s in %s stands no curve: an object of lists or a list of rows was due", placeOf(out.Pointer), out.File)
}

// member is a column of a row, nil if it has none.
func member(row jsontext.Value, name string) (found jsontext.Value) {
	switch row.Kind() {
	case '{':
		_ = eachMember(row, func(is string, value jsontext.Value) error { // it was read before as a part of the file
			if is == name {
				found = slices.Clone(value)
			}
			return nil
		})
	case '[':
		_ = eachItem(row, func(i int, value jsontext.Value) error { // as above
			if strconv.Itoa(i+1) == name {
				found = slices.Clone(value)
			}
			return nil
		})
	}
	return found
}

// targetsOf lists, by file, what outputs and their gradients point at. The error is about a pointer.
func targetsOf(outputs []bench.Output) (map[string][]target, error) {
	targets := map[string][]target{}
	add := func(name, file, text string) error {
		pointer, err := jsonpointer.New(text)
		if err != nil {
			return fmt.Errorf("output %s: %w", name, err)
		}
		targets[file] = append(targets[file], target{text, pointer.DecodedTokens()})
		return nil
	}
	for _, out := range outputs {
		if out.Pointed {
			if err := add(out.Name, out.File, out.Pointer); err != nil {
				return nil, err
			}
		}
		if out.Gradient != nil {
			if err := add(out.Name, out.Gradient.File, out.Gradient.Pointer); err != nil {
				return nil, err
			}
		}
	}
	return targets, nil
}
