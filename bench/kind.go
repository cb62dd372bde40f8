package bench

import (
	"slices"
	"time"

	"ropebench/core/formula"
)

// A Kind is a kind of study that a bench file can ask for.
type Kind struct {
	Name    string
	Meaning string          // what it asks, in a few words
	New     func() Settings // with the defaults in place
}

// Kinds are those that a bench file knows; each stands in a file of its own.
var Kinds = []Kind{sampleKind, sensitivityKind, optimizeKind, seekKind, calibrateKind, sweepKind, uncertaintyKind}

// KindOf finds a kind by its name.
func KindOf(name string) (Kind, bool) {
	return Find(Kinds, name, func(k Kind) string { return k.Name })
}

// KindNames lists the kinds.
func KindNames() []string {
	names := make([]string, len(Kinds))
	for i, k := range Kinds {
		names[i] = k.Name
	}
	return names
}

// Settings are the keys of one study with their values: what the reader, the schema, the documents and the sentence about
// the study are made from.
type Settings interface {
	// Keys lists the keys, each with the place of its value in these settings.
	Keys() []Key
	// Words says in one line what the study does.
	Words() string
	// Later says why this version cannot run the study; empty where it can.
	Later() string
}

// A Key is one key of a study. What it takes follows from the type that Into points at.
type Key struct {
	Name    string
	Meaning string
	Into    any      // a pointer: see the table of forms in keys.go
	Choices []string // of a word, or of each word of a list
	Least   float64  // of a number
	Most    float64  // of a number; 0: no bound
	Default string   // in words, where it is not the value that new settings have
	Of      Named    // what the names of a list, or of values, must be
	Needed  bool     // of a list of groups: every one has it
	Free    bool     // of a number: it may be of either sign
}

// Named says of what something is the name.
type Named uint8

// What can be named.
const (
	Anything     Named = iota
	InputNames         // inputs
	VariedNames        // inputs that have a range, values or a catalog
	ValueNames         // inputs, outputs and derived values
	Requirements       // ids of requirements
	StudyNames         // studies
	FileNames          // files in the folder of the bench
)

// A Study is a question asked of the model.
type Study struct {
	Name string
	Kind string
	Common
	Settings Settings
}

// Common are the keys of every study.
type Common struct {
	Vary   []string
	Hold   map[string]Value
	Seed   uint64
	Watch  []string
	Budget Budget
}

// A Budget bounds a run. Zero values do not bound.
type Budget struct {
	Evaluations int
	Time        time.Duration
	Until       time.Time
}

// ClockLayout is how a time of day is written.
const ClockLayout = "15:04"

// IsClock is true for a time of day without a date.
func IsClock(moment time.Time) bool { return moment.Year() == 0 }

// Next is the first moment after another at a time of day.
func Next(clock, after time.Time) time.Time {
	moment := time.Date(after.Year(), after.Month(), after.Day(), clock.Hour(), clock.Minute(), 0, 0, after.Location())
	if !moment.After(after) {
		moment = moment.AddDate(0, 0, 1)
	}
	return moment
}

// Bounded is true where something ends the run.
func (b Budget) Bounded() bool { return b.Evaluations > 0 || b.Time > 0 || !b.Until.IsZero() }

// Bounds on studies, named in messages.
const (
	MaxEvaluations = 100_000_000
	MaxRepeats     = 1000
	maxSeed        = 1 << 53 // what every reader of JSON keeps
)

// Keys lists the keys of every study.
func (c *Common) Keys() []Key {
	return []Key{
		{Name: "vary", Meaning: "the inputs that move", Into: &c.Vary, Of: VariedNames, Default: "all varied inputs"},
		{Name: "hold", Meaning: "inputs that stay, with their values", Into: &c.Hold, Of: InputNames},
		{Name: "seed", Meaning: "the same seed draws the same designs", Into: &c.Seed, Most: maxSeed},
		{Name: "watch", Meaning: "values to draw while it runs, beside the objective", Into: &c.Watch, Of: ValueNames},
		{Name: "budget", Meaning: "what ends it", Into: &c.Budget},
	}
}

// Keys lists the keys of a budget.
func (b *Budget) Keys() []Key {
	return []Key{
		{Name: "evaluations", Meaning: "distinct designs asked, known ones and ones that are not tried included", Into: &b.Evaluations, Least: 1, Most: MaxEvaluations},
		{Name: "time", Meaning: "at work, over all its sessions", Into: &b.Time},
		{Name: "until", Meaning: "a date and a time, or a time of day, which is the next one when the run is started", Into: &b.Until},
	}
}

// NewStudy is a study of a kind with the defaults.
func NewStudy(name string, kind Kind) Study {
	return Study{Name: name, Kind: kind.Name, Common: Common{Seed: 1}, Settings: kind.New()}
}

// Later says why this version cannot run the study; empty where it can.
func (s Study) Later() string { return s.Settings.Later() }

// An Objective is a formula to be made least or most.
type Objective struct {
	Formula  formula.Expression
	Maximize bool
}

// Goals are the objectives of a study; none where it has none.
func (s Study) Goals() []Objective {
	if goals, has := s.Settings.(interface{ Goals() []Objective }); has {
		return goals.Goals()
	}
	return nil
}

// GoalsOf are the objectives of a study, or of the one that it makes again and again.
func (b *Bench) GoalsOf(s Study) []Objective {
	if sweep, is := s.Settings.(*Sweep); is {
		if each, found := b.Study(sweep.Each); found {
			return each.Goals()
		}
	}
	return s.Goals()
}

// Targets are the values that a study brings near to numbers; none where it has none.
func (s Study) Targets() []Target {
	if aims, has := s.Settings.(interface{ Aims() []Target }); has {
		return aims.Aims()
	}
	return nil
}

// Search gives the settings of a study that searches; nil for others.
func (s Study) Search() *Search {
	if searches, has := s.Settings.(interface{ Searching() *Search }); has {
		return searches.Searching()
	}
	return nil
}

// Searches is true for a study that looks for the best design.
func (s Study) Searches() bool {
	_, searches := s.Settings.(interface{ Goals() []Objective })
	return searches
}

// A Meet says which requirements a study must meet: all but wishes, or those that it names.
type Meet struct {
	Named bool
	IDs   []string
}

// MustMeet says which requirements a study must meet.
func (s Study) MustMeet() Meet {
	if meets, has := s.Settings.(interface{ MustMeet() Meet }); has {
		return meets.MustMeet()
	}
	return Meet{}
}

// A Start is a design to begin from: the nominal one, the best of another study, or one that is written down.
type Start struct {
	BestOf string
	Values map[string]Value
}

// StartsFrom is where a study begins, and whether its kind has a beginning.
func (s Study) StartsFrom() (Start, bool) {
	if starts, has := s.Settings.(interface{ StartsFrom() Start }); has {
		return starts.StartsFrom(), true
	}
	return Start{}, false
}

// VariedBy lists the inputs that a study varies.
func (b *Bench) VariedBy(s Study) []Input {
	var varied []Input
	for _, in := range b.Varied() {
		_, held := s.Hold[in.Name]
		if !held && (s.Vary == nil || slices.Contains(s.Vary, in.Name)) {
			varied = append(varied, in)
		}
	}
	return varied
}

// MetBy lists the requirements that a study must meet.
func (b *Bench) MetBy(s Study) []Requirement {
	meet := s.MustMeet()
	var met []Requirement
	for _, q := range b.Requirements {
		if !meet.Named && !q.Wish || slices.Contains(meet.IDs, q.ID) {
			met = append(met, q)
		}
	}
	return met
}
