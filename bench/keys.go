package bench

import (
	"fmt"
	"strings"
	"time"

	"ropebench/core/formula"
)

// Unread is a key whose value this version only sees: the study says that it cannot be run.
type Unread bool

// Using is what a search asks: the solver, or a stand-in that is fitted to the evaluations of a study and checked with the solver.
type Using struct {
	SurrogateOf string // the study; "": the solver
}

// A group has keys of its own.
type group interface{ Keys() []Key }

// Group gives the keys of a key that has some itself, such as budget.
func (k Key) Group() ([]Key, bool) {
	g, is := k.Into.(group)
	if !is {
		return nil, false
	}
	return g.Keys(), true
}

// groups are a list of which every member has keys of its own: Next adds one and gives its keys.
type groups interface{ Next() []Key }

// Groups gives the keys of every member of a list, and how to add one that they fill.
func (k Key) Groups() (next func() []Key, is bool) {
	g, is := k.Into.(groups)
	if !is {
		return nil, false
	}
	return g.Next, true
}

type schema = map[string]any

func reference(name string) schema { return schema{"$ref": "#/$defs/" + name} }

// schema describes what the key takes, as JSON Schema.
func (k Key) schema() schema {
	if keys, is := k.Group(); is {
		return objectSchema(keys)
	}
	switch k.Into.(type) {
	case *Targets:
		return schema{"type": "array", "minItems": 1, "items": objectSchema(new(Targets).Next())}
	case *Matches:
		return schema{"type": "array", "minItems": 1, "items": objectSchema(new(Matches).Next())}
	case *Reach:
		return schema{"type": "object", "minProperties": 1, "additionalProperties": schema{"type": "number"}}
	case *Grid:
		values := schema{"type": "array", "minItems": 1, "items": schema{"type": []string{"number", "string"}}}
		steps := schema{"type": "object", "required": []string{"from", "to", "count"}, "additionalProperties": false,
			"properties": schema{"from": schema{"type": "number"}, "to": schema{"type": "number"}, "count": schema{"type": "integer", "minimum": 2}}}
		return schema{"type": "object", "minProperties": 1, "additionalProperties": schema{"oneOf": []any{values, steps, schema{"type": "string"}}}}
	case *Measured:
		return schema{"type": []string{"number", "string"}}
	case *formula.Expression:
		return reference("formula")
	case *int, *uint64:
		return k.bounded("integer")
	case *float64:
		return k.bounded("number")
	case *string:
		if k.Choices != nil {
			return schema{"enum": k.Choices}
		}
		return schema{"type": "string"}
	case *[]string:
		if k.Choices == nil {
			return reference("names")
		}
		return schema{"oneOf": []any{schema{"enum": k.Choices}, schema{"type": "array", "minItems": 1, "items": schema{"enum": k.Choices}}}}
	case *map[string]Value:
		return reference("values")
	case *time.Duration:
		return reference("duration")
	case *time.Time:
		return schema{"type": "string"}
	case **Objective:
		return reference("formula")
	case *[]Objective:
		return schema{"type": "array", "minItems": 1, "items": schema{"type": "object", "minProperties": 1, "maxProperties": 1, "additionalProperties": false,
			"properties": schema{"minimize": reference("formula"), "maximize": reference("formula")}}}
	case *Meet:
		return schema{"oneOf": []any{schema{"const": "all"}, reference("names")}}
	case *Start:
		bestOf := schema{"type": "object", "required": []string{"best-of"}, "additionalProperties": false, "properties": schema{"best-of": schema{"type": "string"}}}
		return schema{"oneOf": []any{schema{"const": "nominal"}, bestOf, reference("values")}}
	case *Using:
		return schema{"oneOf": []any{schema{"const": "solver"}, schema{"type": "object", "required": []string{"surrogate_of"}, "additionalProperties": false, "properties": schema{"surrogate_of": schema{"type": "string"}}}}}
	}
	return schema{} // *Unread: anything
}

func (k Key) bounded(kind string) schema {
	s := schema{"type": kind}
	if !k.Free {
		s["minimum"] = k.Least
	}
	if k.Most > 0 {
		s["maximum"] = k.Most
	}
	return s
}

func objectSchema(keys []Key) schema {
	properties := schema{}
	for _, k := range keys {
		described := k.schema()
		described["description"] = k.Meaning
		properties[k.Name] = described
	}
	return schema{"type": "object", "additionalProperties": false, "properties": properties}
}

// InForce is the default in words: the value that new settings have, or what is said of it; "" where there is none.
func (k Key) InForce() string {
	if k.Default != "" {
		return k.Default
	}
	switch into := k.Into.(type) {
	case *int:
		if *into != 0 {
			return fmt.Sprint(*into)
		}
	case *uint64:
		return fmt.Sprint(*into)
	case *string:
		return *into
	case *Using:
		return "solver"
	case *[]string:
		return strings.Join(*into, ", ")
	}
	return ""
}

// StudyTable is the table of all keys of studies, in Markdown.
func StudyTable() string {
	var out strings.Builder
	row := func(kind string, keys []Key, prefix string) {}
	row = func(kind string, keys []Key, prefix string) {
		for _, k := range keys {
			if nested, is := k.Group(); is {
				row(kind, nested, prefix+k.Name+".")
				continue
			}
			meaning := k.Meaning
			if k.Choices != nil {
				meaning += ": `" + strings.Join(k.Choices, "`, `") + "`"
			}
			fmt.Fprintf(&out, "| %s | `%s%s` | %s | %s |\n", kind, prefix, k.Name, meaning, k.InForce())
			kind = ""
		}
	}
	out.WriteString("| kind | key | meaning | default |\n|---|---|---|---|\n")
	row("every study", (&Common{Seed: 1}).Keys(), "")
	for _, kind := range Kinds {
		settings, name := kind.New(), "`"+kind.Name+"`"
		if settings.Later() != "" {
			name += " (not yet)"
		}
		row(name, settings.Keys(), "")
	}
	return out.String()
}
