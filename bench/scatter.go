package bench

// A Scatter says how an input differs from one product, or one use, to the next: a distribution, which may be cut off at
// both ends.
type Scatter struct {
	Kind    string             `json:"kind"`             // one of scatterKeys
	Numbers map[string]float64 `json:"numbers"`          // its parameters, by name
	Within  *[2]float64        `json:"within,omitempty"` // nil: not cut off
	File    string             `json:"file,omitempty"`   // empirical: where the measured values stand
	Column  string             `json:"column,omitempty"`
	Values  []float64          `json:"-"` // the measured values, ascending
}

// ScatterKeys has the distributions and their parameters. The lognormal is given by the mean and standard deviation of the
// values themselves; the Weibull by shape and scale.
var ScatterKeys = map[string][]string{
	"normal": {"mean", "sd"}, "lognormal": {"mean", "sd"}, "uniform": {"lower", "upper"}, "triangular": {"lower", "mode", "upper"},
	"weibull": {"shape", "scale"}, "empirical": nil,
}
