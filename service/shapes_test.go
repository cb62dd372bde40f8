package service_test

import (
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/result"
)

// shapes are the types of the interface by the names that service/openapi.yaml has for them.
var shapes = map[string]reflect.Type{
	"Problem": reflect.TypeFor[api.Problem](), "Checked": reflect.TypeFor[api.Checked](), "FileProblem": reflect.TypeFor[bench.Problem](), "Health": reflect.TypeFor[api.Health](), "Link": reflect.TypeFor[api.Link](),
	"BenchSummary": reflect.TypeFor[api.BenchSummary](), "Bench": reflect.TypeFor[api.Bench](), "Input": reflect.TypeFor[api.Input](), "Output": reflect.TypeFor[api.Output](),
	"Requirement": reflect.TypeFor[api.Requirement](), "Study": reflect.TypeFor[api.Study](), "Revision": reflect.TypeFor[api.Revision](), "Files": reflect.TypeFor[api.Files](),
	"File": reflect.TypeFor[api.File](), "FileText": reflect.TypeFor[api.FileText](), "Edited": reflect.TypeFor[api.Edited](), "Deck": reflect.TypeFor[api.Deck](), "NumberPlace": reflect.TypeFor[edit.NumberPlace](), "Segment": reflect.TypeFor[api.Segment](),
	"Order": reflect.TypeFor[api.Order](), "FreeRange": reflect.TypeFor[bench.Range](), "Change": reflect.TypeFor[api.Change](), "Kept": reflect.TypeFor[api.Kept](), "KeptFile": reflect.TypeFor[api.KeptFile](), "Results": reflect.TypeFor[api.Results](), "ResultFile": reflect.TypeFor[api.ResultFile](), "Spot": reflect.TypeFor[api.Spot](), "Way": reflect.TypeFor[api.Way](), "NewOutput": reflect.TypeFor[api.NewOutput](), "Target": reflect.TypeFor[api.Target](), "Tradeoff": reflect.TypeFor[result.Tradeoff](), "Front": reflect.TypeFor[api.Front](), "Growth": reflect.TypeFor[result.Growth](), "Coarse": reflect.TypeFor[result.Coarse](),
	"Check": reflect.TypeFor[result.Check](), "Learned": reflect.TypeFor[result.Learned](), "Adoption": reflect.TypeFor[api.Adoption](), "Adopted": reflect.TypeFor[api.Adopted](), "Candidate": reflect.TypeFor[api.Candidate](), "Pick": reflect.TypeFor[api.Pick](), "NamedCandidate": reflect.TypeFor[api.NamedCandidate](), "Question": reflect.TypeFor[api.Question](),
	"Run": reflect.TypeFor[api.Run](), "Runs": reflect.TypeFor[api.Runs](), "Headline": reflect.TypeFor[result.Headline](), "Design": reflect.TypeFor[result.Design](),
	"Convergence": reflect.TypeFor[result.Convergence](), "Improvement": reflect.TypeFor[result.Improvement](), "Robust": reflect.TypeFor[result.Robust](), "Judged": reflect.TypeFor[result.Judged](), "WithoutScatter": reflect.TypeFor[result.WithoutScatter](), "Told": reflect.TypeFor[result.Told](), "Case": reflect.TypeFor[api.Case](), "Rare": reflect.TypeFor[result.Rare](), "WorstCase": reflect.TypeFor[result.WorstCase](), "TryingDesign": reflect.TypeFor[api.TryingDesign](), "Help": reflect.TypeFor[api.Help](), "TriedByHand": reflect.TypeFor[api.TriedByHand](), "Turns": reflect.TypeFor[result.Turns](), "Turn": reflect.TypeFor[result.Turn](), "Neighbourhood": reflect.TypeFor[result.Neighbourhood](), "Loss": reflect.TypeFor[result.Loss](), "Neighbour": reflect.TypeFor[result.Neighbour](), "Verdicts": reflect.TypeFor[result.Verdicts](), "VerdictOn": reflect.TypeFor[result.VerdictOn](), "Judgment": reflect.TypeFor[result.Judgment](), "End": reflect.TypeFor[result.End](), "Search": reflect.TypeFor[result.Search](), "Optimum": reflect.TypeFor[result.Optimum](), "Hold": reflect.TypeFor[result.Hold](), "Place": reflect.TypeFor[result.Place](), "Easing": reflect.TypeFor[result.Easing](),
	"Spread": reflect.TypeFor[result.Spread](), "Seed": reflect.TypeFor[result.Seed](), "Reached": reflect.TypeFor[result.Reached](), "Calibration": reflect.TypeFor[result.Calibration](), "Matched": reflect.TypeFor[result.Matched](), "Cell": reflect.TypeFor[result.Cell](), "Sample": reflect.TypeFor[result.Sample](),
	"Probability": reflect.TypeFor[result.Probability](), "Limited": reflect.TypeFor[result.Limited](), "Scattered": reflect.TypeFor[result.Scattered](), "Scatter": reflect.TypeFor[result.Scatter](), "Provenance": reflect.TypeFor[result.Provenance](), "Program": reflect.TypeFor[result.Program](), "Repeats": reflect.TypeFor[result.Repeats](), "Recorded": reflect.TypeFor[result.Recorded](), "Failures": reflect.TypeFor[result.Failures](), "Failure": reflect.TypeFor[result.Failure](), "Result": reflect.TypeFor[api.Result](), "Evaluations": reflect.TypeFor[api.Evaluations](), "Evaluation": reflect.TypeFor[api.Evaluation](),
	"EvaluationDetail": reflect.TypeFor[api.EvaluationDetail](), "Step": reflect.TypeFor[api.Step](), "Curve": reflect.TypeFor[api.Curve](), "Derivatives": reflect.TypeFor[api.Derivatives](),
	"Sensitivity": reflect.TypeFor[result.Sensitivity](), "Influence": reflect.TypeFor[result.Influence](), "Rounds": reflect.TypeFor[result.Rounds](), "Round": reflect.TypeFor[result.Round](), "Exploration": reflect.TypeFor[result.Exploration](), "Explored": reflect.TypeFor[result.Explored](), "Outlier": reflect.TypeFor[result.Outlier](), "LeftOut": reflect.TypeFor[result.LeftOut](), "Obstacles": reflect.TypeFor[result.Obstacles](), "MetBy": reflect.TypeFor[result.MetBy](), "NearMiss": reflect.TypeFor[result.NearMiss](), "Conflict": reflect.TypeFor[result.Conflict](), "FailureRegion": reflect.TypeFor[result.FailureRegion](),
	"Fit": reflect.TypeFor[api.Fit](), "Competitor": reflect.TypeFor[api.Competitor](), "FitPoint": reflect.TypeFor[api.FitPoint](), "PredictionOrder": reflect.TypeFor[api.PredictionOrder](), "Predictions": reflect.TypeFor[api.Predictions](), "Prediction": reflect.TypeFor[api.Prediction](), "PredictedCurve": reflect.TypeFor[api.PredictedCurve](), "SurfaceOrder": reflect.TypeFor[api.SurfaceOrder](), "Surface": reflect.TypeFor[api.Surface](), "LeavingOut": reflect.TypeFor[api.LeavingOut](), "Selection": reflect.TypeFor[api.Selection](), "More": reflect.TypeFor[api.More](), "Matching": reflect.TypeFor[api.Matching](),
	"ColumnsHeader": reflect.TypeFor[api.ColumnsHeader](), "ColumnOfNumbers": reflect.TypeFor[api.ColumnOfNumbers](),
}

// A property is what a type says of one of its fields.
type property struct {
	optional bool
	of       reflect.Type
}

// propertiesOf lists the fields of a type as JSON writes them, those of embedded types included.
func propertiesOf(t reflect.Type) map[string]property {
	all := map[string]property{}
	for i := range t.NumField() {
		field := t.Field(i)
		name, options, _ := strings.Cut(field.Tag.Get("json"), ",")
		switch {
		case field.Anonymous && name == "":
			for inner, p := range propertiesOf(field.Type) {
				all[inner] = p
			}
		case name != "-" && field.IsExported():
			all[name] = property{strings.Contains(options, "omit"), field.Type}
		}
	}
	return all
}

// described lists the properties of a schema, those of its parts included.
func described(s *openapi3.Schema) (properties openapi3.Schemas, required []string) {
	properties = openapi3.Schemas{}
	for _, part := range s.AllOf {
		inner, more := described(part.Value)
		for name, p := range inner {
			properties[name] = p
		}
		required = append(required, more...)
	}
	for name, p := range s.Properties {
		properties[name] = p
	}
	return properties, append(required, s.Required...)
}

// TestTheTypesAreThoseOfTheInterface holds the types that service and client share against the description, field by field:
// a field that is not described, one that is described and not there, one that may be absent and is required.
func TestTheTypesAreThoseOfTheInterface(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	document, err := openapi3.NewLoader().LoadFromData(text)
	require.NoError(t, err)
	require.NoError(t, document.Validate(t.Context()))
	onlyOrders := []string{"Order", "FreeRange", "Candidate", "Adoption"} // what is sent to the service may leave more out
	for name, schema := range document.Components.Schemas {
		if name == "Value" || name == "Limits" {
			continue // a number or a word, and a pair of numbers
		}
		shape, known := shapes[name]
		if !assert.True(t, known, "%s is described, and no type of the interface: add it to shapes", name) {
			continue
		}
		properties, required := described(schema.Value)
		fields := propertiesOf(shape)
		for field, p := range fields {
			wanted := properties[field]
			if !assert.NotNil(t, wanted, "%s.%s is not described", name, field) {
				continue
			}
			if !slices.Contains(onlyOrders, name) {
				assert.Equal(t, !p.optional, slices.Contains(required, field), "%s.%s: may it be absent?", name, field)
			}
			assert.True(t, fits(p.of, wanted.Value), "%s.%s is %s, and described as %v", name, field, p.of, wanted.Value.Type)
		}
		for field := range properties {
			_, there := fields[field]
			assert.True(t, there, "%s.%s is described, and not sent", name, field)
		}
	}
	for name := range shapes {
		assert.Contains(t, document.Components.Schemas, name)
	}
}

// fits is true where a type is written as the schema says.
func fits(t reflect.Type, s *openapi3.Schema) bool {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	is := func(kind string) bool {
		return s.Type != nil && s.Type.Includes(kind) || len(s.AllOf) > 0 && kind == "object"
	}
	switch {
	case t == reflect.TypeFor[time.Time]():
		return is("string") && s.Format == "date-time"
	case t == reflect.TypeFor[bench.Value]():
		return is("number") && is("string")
	}
	switch t.Kind() {
	case reflect.String:
		return is("string")
	case reflect.Bool:
		return is("boolean")
	case reflect.Int, reflect.Int64, reflect.Uint64:
		return is("integer")
	case reflect.Float64:
		return is("number")
	case reflect.Slice, reflect.Array:
		return is("array") && s.Items != nil && fits(t.Elem(), s.Items.Value)
	case reflect.Map:
		return is("object") && s.AdditionalProperties.Schema != nil && fits(t.Elem(), s.AdditionalProperties.Schema.Value)
	case reflect.Struct:
		return is("object")
	}
	return false
}
