package study

import (
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/result"
)

// unitOfObjective is that of the one objective; "" where it has none.
func (h hunt) unitOfObjective() string {
	if len(h.problem.Objectives) == 0 {
		return ""
	}
	return h.Model.Columns[h.problem.Objectives[0].Value].Unit
}

// betters says what giving a limit or an end of a range brings: what is in which unit, and how it gives, like "more room".
func (h hunt) betters(w *optimize.Worth, unit, how string) string {
	if w == nil || w.Room == 0 {
		return h.noPrice(w)
	}
	change := plain.With(w.Room, unit) + " " + how
	gain := w.Price * w.Room
	if len(h.problem.Objectives) == 0 {
		return fmt.Sprintf("%s would better the sum of squares by about %s", change, plain.Show(gain))
	}
	o := h.problem.Objectives[0]
	verb := "save"
	if o.Maximize {
		verb = "gain"
	}
	return fmt.Sprintf("%s would %s about %s of %s", change, verb, plain.With(gain, h.unitOfObjective()), h.Model.Columns[o.Value].Name)
}

// noPrice says why it is not told what giving a limit brings.
func (h hunt) noPrice(w *optimize.Worth) string {
	switch {
	case w == nil:
		return "what more room would bring is not known there, as where values jump or have edges"
	case w.Alone:
		return "what more room would bring changes too fast with it to be told"
	case w.With >= 0:
		return "more room brings something only together with more for " + h.constrained()[w.With].Called()
	case w.WithEnd >= 0:
		return "more room brings something only together with a wider range of " + h.problem.Space[w.WithEnd].Name
	}
	return "more room for it alone brings nothing: other limits hold the design there, too"
}

// worthOf is that of one of a list; nil where nothing is known.
func worthOf(worths []optimize.Worth, i int) *optimize.Worth {
	if worths == nil {
		return nil
	}
	return &worths[i]
}

// priced enters a price and the room over which it holds, where they are told.
func priced(hold *result.Hold, w *optimize.Worth) {
	if w != nil && w.Room > 0 {
		hold.Price, hold.Room = &w.Price, w.Room
	}
}

// limitsThatHold are the requirements at whose limits the design stands.
func (h hunt) limitsThatHold(o *optimize.Optimum) []result.Hold {
	var holds []result.Hold
	for i, q := range h.constrained() {
		if o.Prices[i] == 0 {
			continue
		}
		unit, w := h.Model.Bench.Unit(q.Of.Text), worthOf(o.Worths, i)
		hold := result.Hold{Requirement: q.ID, End: "lower", At: q.Limit.Lower}
		priced(&hold, w)
		if o.Uppers[i] {
			hold.End, hold.At = "upper", q.Limit.Upper
		}
		what := q.Called()
		if q.Limit.Reserve > 0 {
			what += " with its reserve"
		}
		hold.Says = fmt.Sprintf("%s holds it at %s = %s: %s", what, q.Of.Text, plain.With(hold.At, unit), h.betters(w, unit, "more room"))
		if q.Kind == "equals" {
			hold.At = q.Limits[0]
			hold.Says = fmt.Sprintf("%s holds it, aimed at the center of its band, %s = %s: %s", what, q.Of.Text, plain.With(q.Limits[0], unit), h.betters(w, unit, towards(o.Uppers[i])))
		}
		holds = append(holds, hold)
	}
	return holds
}

// endsThatHold are the ends of ranges at which the design stands, guesses first: they are the ones to doubt.
func (h hunt) endsThatHold(o *optimize.Optimum, design core.Design) []result.Hold {
	var holds []result.Hold
	for j, in := range h.problem.Space {
		if o.EndPrices[j] == 0 {
			continue
		}
		w := worthOf(o.EndWorths, j)
		declared, _ := h.Model.Bench.Input(in.Name)
		hold := result.Hold{Input: in.Name, End: "lower", At: in.Lower}
		priced(&hold, w)
		if o.UpperEnds[j] {
			hold.End, hold.At = "upper", in.Upper
		}
		if declared.Range != nil {
			hold.Guess = declared.Range.LowerGuess
			if o.UpperEnds[j] {
				hold.Guess = declared.Range.UpperGuess
			}
		}
		kind := "which is hard"
		if hold.Guess {
			kind = "which is a guess: widen it?"
		}
		hold.Says = fmt.Sprintf("the %s end of %s holds it, %s, %s; %s", hold.End, in.Name, plain.With(hold.At, declared.Unit), kind, h.betters(w, declared.Unit, "more range"))
		holds = append(holds, hold)
	}
	slices.SortStableFunc(holds, func(a, b result.Hold) int { return boolean(b.Guess) - boolean(a.Guess) })
	return holds
}

// towards says in which direction the value of an equation gives.
func towards(up bool) string {
	if up {
		return "more of it"
	}
	return "less of it"
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}

// whyUnpriced says why slopes tell nothing: no input has any, or they are not known.
func (h hunt) whyUnpriced() string {
	if !math.IsInf(h.problem.Space.Size(), 1) {
		return "where every input is stepped or a list"
	}
	return "without derivatives"
}

// nearLimit is the share of a limit within which a design stands at it, where no prices tell.
const nearLimit = 1e-3

// holdsWithoutPrices are the limits and ends at which the design stands, where slopes are not known.
func (h hunt) holdsWithoutPrices(design core.Design, values []float64) []result.Hold {
	var holds []result.Hold
	for i, q := range h.constrained() {
		if i >= len(h.problem.Constraints) {
			break
		}
		value, limit := values[h.problem.Constraints[i].Value], q.Limit
		margin := limit.Margin(value) - limit.Reserve
		size := math.Max(math.Abs(value), 1e-12)
		if q.Kind == "equals" || margin < 0 || margin > nearLimit*size {
			continue
		}
		hold := result.Hold{Requirement: q.ID, End: "lower", At: limit.Lower}
		if math.Abs(limit.Upper-value) < math.Abs(value-limit.Lower) {
			hold.End, hold.At = "upper", limit.Upper
		}
		unit := h.Model.Bench.Unit(q.Of.Text)
		hold.Says = fmt.Sprintf("it stands at the limit of %s, %s = %s; what that costs is not known %s", q.Called(), q.Of.Text, plain.With(hold.At, unit), h.whyUnpriced())
		holds = append(holds, hold)
	}
	for _, end := range h.Model.AtEnds(design) {
		holds = append(holds, result.Hold{Input: end.Input, End: end.End, At: end.Value, Guess: end.Guess, Says: end.Says})
	}
	return holds
}
