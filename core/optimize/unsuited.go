package optimize

import (
	"slices"

	"ropebench/core/space"
)

// continuousOnly are the methods that follow gradients or models of continuous inputs and nothing else, with what to take where there are none.
var continuousOnly = map[string]string{"sqp": "auto, pattern or differential-evolution", "multi-start": "auto, pattern or differential-evolution", "trust-region": "auto, pattern or differential-evolution",
	"levenberg-marquardt": "auto", "epsilon-constraint": "nsga2", "weighted-sum": "nsga2"}

// Unsuited says why a method cannot search a space; "" where it can.
func Unsuited(method string, s space.Space) string {
	instead, needs := continuousOnly[method]
	if !needs || slices.ContainsFunc(s, func(in space.Input) bool { return in.Levels() == 0 }) {
		return ""
	}
	return method + " needs an input that is neither stepped nor a list: take " + instead
}
