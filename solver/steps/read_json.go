package steps

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"

	"github.com/go-openapi/jsonpointer"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// at is what stands at a pointer.
func (f *resultFiles) at(out bench.Output, pointer jsonpointer.Pointer) (any, error) {
	document, err := f.document(out.File)
	if err != nil {
		return nil, err
	}
	found, _, err := pointer.Get(document)
	if err != nil {
		return nil, looked{error: fmt.Errorf("%s has nothing at %s", out.File, out.Pointer), file: out.File, wanted: out.Pointer}
	}
	return found, nil
}

func jsonNumber(found any, out bench.Output) (float64, error) {
	number, isNumber := found.(json.Number)
	if !isNumber {
		shown, _ := json.Marshal(found) // it came from JSON, so it goes back
		hint := ""
		if _, isList := found.([]any); isList {
			hint = "; take reduces a list"
		}
		return 0, fmt.Errorf("at %s in %s stands %s where a number was due%s", out.Pointer, out.File, plain.Short(string(shown)), hint)
	}
	return strconv.ParseFloat(number.String(), 64)
}

// gradient reads an object that has the derivatives of an output by inputs. It need not name all of them.
func (f *resultFiles) gradient(g bench.Gradient, inputs []string) (map[string]float64, error) {
	pointer, err := jsonpointer.New(g.Pointer)
	if err != nil {
		return nil, err
	}
	out := bench.Output{File: g.File, Pointer: g.Pointer}
	found, err := f.at(out, pointer)
	if err != nil {
		return nil, err
	}
	object, isObject := found.(map[string]any)
	if !isObject {
		return nil, fmt.Errorf("at %s in %s stands no object with a derivative for each input", g.Pointer, g.File)
	}
	gradient := map[string]float64{}
	for name, derivative := range object {
		if !slices.Contains(inputs, name) {
			return nil, fmt.Errorf("%s at %s in %s is no input%s", name, g.Pointer, g.File, formula.Suggest(name, inputs))
		}
		if gradient[name], err = jsonNumber(derivative, out); err != nil {
			return nil, err
		}
	}
	return gradient, nil
}

// listAt reads a list of numbers.
func (f *resultFiles) listAt(out bench.Output, pointer jsonpointer.Pointer) (curve.Curve, error) {
	found, err := f.at(out, pointer)
	if err != nil {
		return curve.Curve{}, err
	}
	y, err := jsonNumbers(found, out)
	return curve.Curve{Y: y}, err
}

func jsonNumbers(found any, out bench.Output) ([]float64, error) {
	list, isList := found.([]any)
	if !isList {
		return nil, fmt.Errorf("at %s in %s stands no list of numbers", out.Pointer, out.File)
	}
	numbers := make([]float64, len(list))
	for i, item := range list {
		var err error
		if numbers[i], err = jsonNumber(item, out); err != nil {
			return nil, fmt.Errorf("item %d: %w", i+1, err)
		}
	}
	return numbers, nil
}

// curveAt reads a curve: an object with a list for x and one for y, or a list of rows, which are objects with these members
// or lists with these positions, from 1.
func (f *resultFiles) curveAt(out bench.Output, pointer jsonpointer.Pointer) (c curve.Curve, err error) {
	found, err := f.at(out, pointer)
	if err != nil {
		return c, err
	}
	if columns, isObject := found.(map[string]any); isObject {
		if c.X, err = jsonNumbers(columns[out.Curve.X], out); err != nil {
			return c, fmt.Errorf("%s: %w", out.Curve.X, err)
		}
		if c.Y, err = jsonNumbers(columns[out.Curve.Y], out); err != nil {
			return c, fmt.Errorf("%s: %w", out.Curve.Y, err)
		}
		return c, nil
	}
	rows, isList := found.([]any)
	if !isList {
		return c, fmt.Errorf("at %s in %s stands no curve: an object of lists or a list of rows was due", out.Pointer, out.File)
	}
	for i, row := range rows {
		x, err := jsonNumber(member(row, out.Curve.X), out)
		y, yErr := jsonNumber(member(row, out.Curve.Y), out)
		if err != nil || yErr != nil {
			return c, fmt.Errorf("row %d at %s in %s has no numbers for %s and %s", i+1, out.Pointer, out.File, out.Curve.X, out.Curve.Y)
		}
		c.X, c.Y = append(c.X, x), append(c.Y, y)
	}
	return c, nil
}

// member is a column of a row, nil if it has none.
func member(row any, name string) any {
	switch r := row.(type) {
	case map[string]any:
		return r[name]
	case []any:
		if i, err := strconv.Atoi(name); err == nil && i >= 1 && i <= len(r) {
			return r[i-1]
		}
	}
	return nil
}
