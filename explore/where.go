package explore

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/space"
	"ropebench/model"
)

// A side of an input: below or above a value, or at one.
type side struct {
	inside, failed int // evaluations there, and those of them that failed
	gain           float64
	says           string
}

// fewestFailed is of how many failures it is told where they lie.
const fewestFailed = 3

// Where says on which side of which input designs failed: the side whose share of failures is most unlike that of the others, where that
// tells; "" where there is nothing to tell. The designs are those that were tried, of the space.
func Where(m *model.Model, inputs space.Space, designs []core.Design, failed []bool) string {
	return WhereThey("failed", m, inputs, designs, failed)
}

// WhereThey says the same of designs that did something else than to fail, in a word: "missed".
func WhereThey(did string, m *model.Model, inputs space.Space, designs []core.Design, failed []bool) string {
	all := tried{designs: designs, failed: failed}
	for _, f := range failed {
		if f {
			all.failures++
		}
	}
	if all.failures < fewestFailed || all.failures == len(designs) {
		return ""
	}
	var best side
	for j := range inputs {
		for _, s := range all.sides(m, inputs[j], j) {
			if s.gain > best.gain {
				best = s
			}
		}
	}
	if best.gain < tellsFrom {
		return "all over the space"
	}
	return fmt.Sprintf("%d of them where %s, where %s of %s %s", best.failed, best.says, percent(float64(best.failed)/float64(best.inside)), plain.Count(best.inside, "design"), did)
}

// tellsFrom is the logarithm of the likelihood that a side must gain over an even spread to be told.
const tellsFrom = 5.0

// tried are designs, and which of them failed.
type tried struct {
	designs  []core.Design
	failed   []bool
	failures int
}

// sides are the ways to part the designs in two by one input.
func (t tried) sides(m *model.Model, axis space.Input, j int) []side {
	in, _ := m.Bench.Input(axis.Name)
	all := len(t.designs)
	made := func(inside, insideFailed int, says string) side {
		gain := likelihood(insideFailed, inside) + likelihood(t.failures-insideFailed, all-inside) - likelihood(t.failures, all)
		if float64(insideFailed)*float64(all) < float64(t.failures)*float64(inside) {
			gain = 0 // they are rarer there
		}
		return side{inside, insideFailed, gain, says}
	}
	var sides []side
	if axis.Unordered {
		for _, word := range axis.Values {
			n, f := 0, 0
			for i, design := range t.designs {
				if design[j] == word {
					n++
					if t.failed[i] {
						f++
					}
				}
			}
			sides = append(sides, made(n, f, fmt.Sprintf("%s is %s", in.Name, in.ValueOf(word))))
		}
		return sides
	}
	sorted := make([]int, all)
	for i := range sorted {
		sorted[i] = i
	}
	slices.SortFunc(sorted, func(a, b int) int { return cmp.Compare(t.designs[a][j], t.designs[b][j]) })
	below := 0
	for k, i := range sorted[:all-1] {
		if t.failed[i] {
			below++
		}
		value, next := t.designs[i][j], t.designs[sorted[k+1]][j]
		if value == next {
			continue
		}
		middle := in.ValueOf((value + next) / 2)
		if in.Wordy() {
			middle = in.ValueOf(value)
		}
		sides = append(sides, made(k+1, below, fmt.Sprintf("%s is below %s", in.Name, middle.Show(in.Unit))),
			made(all-k-1, t.failures-below, fmt.Sprintf("%s is above %s", in.Name, middle.Show(in.Unit))))
	}
	return sides
}

// likelihood is its logarithm for so many of n, at their own share.
func likelihood(some, n int) float64 {
	if some == 0 || some == n {
		return 0
	}
	share := float64(some) / float64(n)
	return float64(some)*math.Log(share) + float64(n-some)*math.Log(1-share)
}
