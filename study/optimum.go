package study

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/model"
	"ropebench/result"
)

const (
	shownPlaces  = 5    // others at which searches ended
	unmovedShare = 1e-3 // of its range, by which an input has hardly moved
	levelEnough  = 1e-4 // share of the objective within which a place is level
)

// tell puts what holds a design into the words and units of the bench.
func (h hunt) tell(found optimize.Result, o *optimize.Optimum) *result.Optimum {
	if found.Best.Outcome.Values == nil {
		return &result.Optimum{Says: []string{"no evaluation gave values: there is no best design"}}
	}
	told := &result.Optimum{Searches: found.Searches}
	design := h.problem.Whole(found.Best.Design)
	told.Unmoved = h.unmoved(found.Best.Design)
	if o != nil && found.Best.Rank.Kept() {
		told.Holds = append(h.limitsThatHold(o), h.endsThatHold(o, found.Best.Design)...)
		if h.problem.Aims() && !math.IsNaN(o.Level) {
			told.Level = &o.Level
		}
		for j, in := range h.problem.Space {
			if o.Idle[j] {
				told.Idle = append(told.Idle, in.Name)
			}
		}
	}
	if o == nil {
		told.Holds = h.holdsWithoutPrices(design, found.Best.Outcome.Values)
	}
	told.Contradicts = h.contradictions(found, o)
	if o != nil && o.Feasible != nil {
		told.Feasible, told.Contradicts = h.Model.Values(h.problem.Whole(o.Feasible)), nil
	}
	told.Places = h.places(found)
	if h.Study.Kind == "seek" {
		told.Freedom = &found.Freedom
	}
	told.Says = h.sentences(found, told)
	return told
}

// constrained lists the targets that the problem's constraints are of, in their order; those of a seek have none.
func (h hunt) constrained() []model.Target {
	met := h.Model.Bench.MetBy(h.Study)
	var all []model.Target
	for _, t := range h.Model.Targets {
		if slices.ContainsFunc(met, func(q bench.Requirement) bool { return q.ID == t.ID }) {
			all = append(all, t)
		}
	}
	return all
}

// contradictions are the requirements of which one alone could give for a design to meet all, and those that are met by no design.
func (h hunt) contradictions(found optimize.Result, o *optimize.Optimum) []result.Easing {
	if found.Best.Rank.Kept() || h.Study.Kind == "seek" {
		return nil
	}
	easings := found.Easings
	if o != nil && o.Easings != nil {
		easings = o.Easings
	}
	var all []result.Easing
	for i, q := range h.constrained() {
		if i >= len(easings) || q.Price > 0 || math.IsInf(easings[i].By, 1) && easings[i].Met {
			continue
		}
		easing := result.Easing{Requirement: q.ID, Never: !easings[i].Met}
		unit := h.Model.Bench.Unit(q.Of.Text)
		switch e := easings[i]; {
		case math.IsInf(e.By, 1):
			easing.Says = fmt.Sprintf("no design was found that meets %s, whatever becomes of the others: its limit or the ranges are to be doubted first", q.Called())
		case e.Number > 0:
			easing.By = plain.Up(e.By)
			easing.Says = fmt.Sprintf("%s alone would have to give by %s for evaluation %d to meet every requirement", q.Called(), plain.With(easing.By, unit), e.Number)
		default:
			easing.By = plain.Up(e.By)
			easing.Says = fmt.Sprintf("%s alone would have to give by %s for a design to meet every requirement", q.Called(), plain.With(easing.By, unit))
		}
		if easing.Never && easing.By > 0 {
			easing.Says += "; no design was found that meets it, whatever becomes of the others"
		}
		all = append(all, easing)
	}
	return all
}

// places are the best of the others at which searches ended.
func (h hunt) places(found optimize.Result) []result.Place {
	var places []result.Place
	for _, other := range found.Others[:min(shownPlaces, len(found.Others))] {
		p := result.Place{Evaluation: other.Number, Inputs: h.Model.Values(h.problem.Whole(other.Design)), Paid: other.Paid, Feasible: other.Feasible, Searches: other.Searches}
		if h.problem.Aims() {
			objective := other.Objective
			if len(h.problem.Objectives) > 0 && h.problem.Objectives[0].Maximize {
				objective = -objective
			}
			p.Objective = &objective
		}
		places = append(places, p)
	}
	return places
}

// unmoved are the inputs that stayed where the search began.
func (h hunt) unmoved(design core.Design) []string {
	var names []string
	for j, in := range h.problem.Space {
		if in.Unordered && design[j] == h.start[j] || !in.Unordered && math.Abs(in.Share(design[j])-in.Share(h.start[j])) < unmovedShare {
			names = append(names, in.Name)
		}
	}
	return names
}

// sentences say how good the answer is, the most telling first.
func (h hunt) sentences(found optimize.Result, told *result.Optimum) []string {
	var says []string
	switch {
	case !found.Best.Rank.Kept() && h.Study.Kind == "seek":
		says = append(says, "No design that reaches all targets was found: the one that comes nearest is shown.")
	case !found.Best.Rank.Kept():
		says = append(says, "No design that meets every requirement was found: the one that misses least of those evaluated is shown.")
		says = append(says, h.inTheWay(told)...)
	case !h.problem.Aims() && len(h.constrained()) > 0:
		says = append(says, h.room(found))
	case told.Level != nil && *told.Level < levelEnough:
		says = append(says, fmt.Sprintf("No small change betters it: changing every input by 1 %% of its range would gain at most %s of the objective.", shareInWords(*told.Level)))
	case told.Level != nil:
		says = append(says, fmt.Sprintf("By its slopes a small change might better it still, by up to %s of the objective: it stands at a bend of a value, or the search was not at its end.", shareInWords(*told.Level)))
	}
	for _, hold := range told.Holds {
		says = append(says, sentence(hold.Says))
	}
	if found.Neighbours > 0 {
		text := fmt.Sprintf("None of its %d neighbors, which differ in one step or choice, is better", found.Neighbours)
		if found.Neighbours == 1 {
			text = "Its one neighbor, which differs in one step or choice, is no better"
		}
		if found.Next != nil {
			text += fmt.Sprintf("; the best of them is evaluation %d", found.Next.Number)
			if !found.Next.Feasible {
				text += ", which misses a requirement"
			}
		}
		says = append(says, text+".")
	}
	if told.Freedom != nil && found.Best.Rank.Kept() && *told.Freedom > 0 {
		says = append(says, fmt.Sprintf("The answer is one of many: inputs could be changed in %s with all targets still reached; this one is nearest to the start.", plain.Count(*told.Freedom, "direction")))
	}
	if found.Searches > 1 {
		says = append(says, h.otherSearches(found))
	}
	if len(told.Idle) > 0 {
		says = append(says, "Nothing that counts hangs on "+strings.Join(told.Idle, ", ")+".")
	}
	if stayed := h.stayed(told); len(stayed) > 0 {
		says = append(says, fmt.Sprintf("%s stayed where the search began, at no end of a range: another start tells whether by chance.", strings.Join(stayed, ", ")))
	}
	if says == nil {
		return []string{"It stands at no limit: what holds it is not known " + h.whyUnpriced() + "."}
	}
	return says
}

// inTheWay says which requirements no design meets, and which of them could give.
func (h hunt) inTheWay(told *result.Optimum) []string {
	if told.Feasible != nil {
		return []string{"The formulas, searched beside the run at no cost, have a design that meets every requirement: begin the search there, or give it more evaluations."}
	}
	var says, ids []string
	for _, c := range told.Contradicts {
		if c.By > 0 {
			ids = append(ids, c.Requirement)
		}
	}
	if len(ids) > 1 {
		says = append(says, plain.List(ids)+" are in each other's way, as far as was seen: one of them gives, or something else moves.")
	}
	for _, c := range told.Contradicts {
		says = append(says, sentence(strings.ToUpper(c.Says[:1])+c.Says[1:]))
	}
	if says == nil {
		says = append(says, "Each evaluation misses two requirements or more: that one alone gives is not enough, as far as was seen.")
	}
	return says
}

// stayed are the unmoved inputs that nothing else explains; none where the start itself is the best design.
func (h hunt) stayed(told *result.Optimum) []string {
	if len(told.Unmoved) == len(h.problem.Space) {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(told.Unmoved), func(name string) bool {
		return slices.Contains(told.Idle, name) || slices.ContainsFunc(told.Holds, func(hold result.Hold) bool { return hold.Input == name })
	})
}

// room is how far the design stands from the nearest limit.
func (h hunt) room(found optimize.Result) string {
	least, nearest := math.Inf(1), ""
	for i, q := range h.constrained() {
		if i < len(h.problem.Constraints) && q.Price == 0 {
			value := found.Best.Outcome.Values[h.problem.Constraints[i].Value]
			if share := q.Limit.Margin(value) / math.Max(math.Abs(value), 1e-12); share < least {
				least, nearest = share, fmt.Sprintf("%s, with %s to its limit", q.Called(), plain.With(q.Limit.Margin(value), h.Model.Bench.Unit(q.Of.Text)))
			}
		}
	}
	return "Every requirement is met; the least room is at " + nearest + "."
}

func (h hunt) otherSearches(found optimize.Result) string {
	if !found.Best.Rank.Kept() {
		return fmt.Sprintf("%d searches from different starts found none: that is no proof that there is none.", found.Searches)
	}
	text := fmt.Sprintf("%d searches from different starts ended at %s", found.Searches, plain.Count(found.Ends, "place"))
	if len(found.Others) == found.Ends {
		return text + ", none of them as good as the best design, which was seen on the way: give it more evaluations, or begin there."
	}
	if math.IsInf(found.Unseen, 1) || found.Unseen > 0.5 {
		return text + ": there may be better ones that were not seen."
	}
	return text + ", and none is believed unseen."
}

// leastShown is the share that is told in numbers.
const leastShown = 1e-6

func shareInWords(share float64) string {
	if share < leastShown {
		return "a millionth"
	}
	return plain.About(share)
}

// sentence makes one of words. A name of the bench keeps its letters.
func sentence(words string) string {
	for _, article := range []string{"the ", "it "} {
		if strings.HasPrefix(words, article) {
			words = strings.ToUpper(words[:1]) + words[1:]
		}
	}
	return words + "."
}
