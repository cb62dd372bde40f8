// Package bench reads the bench file: model, requirements and studies of one design problem.
package bench

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"time"

	"ropebench/bench/workbook"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/decimal"
	"ropebench/core/formula"
)

// A Bench is what a bench file says.
type Bench struct {
	Title        string
	Notes        string
	Inputs       []Input
	Solver       Solver
	Outputs      []Output
	Derived      []Derived // in the order in which they can be computed
	Requirements []Requirement
	Cases        []Case
	OneCase      *Bench          // the same in one case, which is what its solver is asked; nil: there are no cases
	differ       map[string]bool // see PerCase, once evaluations cover cases
	Correlations []Correlation   // of inputs that scatter
	Studies      []Study
	Shapes       map[string]formula.Shape // of inputs, outputs and derived values
}

// An Input is a named number, or a named choice, that the model takes. It is held where it has neither range nor choices.
type Input struct {
	Name    string   `json:"name"`
	Label   string   `json:"label,omitempty"`
	Unit    string   `json:"unit,omitempty"`
	Nominal Value    `json:"nominal"`
	Range   *Range   `json:"range,omitempty"`
	Step    float64  `json:"step,omitempty"` // 0: continuous
	Log     bool     `json:"log,omitempty"`
	Choices *Choices `json:"choices,omitempty"`
	Scatter *Scatter `json:"scatter,omitempty"`
	// Tolerance is by how much the input may differ from its value in a product, either way; 0: none is given. Scatter is then uniform about it.
	Tolerance float64 `json:"tolerance,omitempty"`
}

// A Range has two ends, each hard or a guess.
type Range struct {
	Lower      float64 `json:"lower"`
	Upper      float64 `json:"upper"`
	LowerGuess bool    `json:"lower_guess,omitempty"`
	UpperGuess bool    `json:"upper_guess,omitempty"`
}

// A Solver turns inputs into outputs: exactly one of Steps, Formulas and Dynamics is set.
type Solver struct {
	Files    []string
	Steps    []Step
	Formulas []Derived // in the order in which they can be computed
	Dynamics *Dynamics
	AtOnce   int // 0: no bound but the slots
	Retry    int
	Keep     string // which working folders are kept: one of Keeps
	Noisy    bool
	Coarse   *Coarse         // nil: there is none
	Written  map[string]bool // names in decks and arguments, once the files are read
}

// Coarse gives the same outputs as the solver by a cheaper way: either of Steps and Formulas is set.
type Coarse struct {
	Steps    []Step
	Formulas []Derived // of every output, in the order in which they can be computed
}

// AllSteps lists the steps of the solver, and those of its coarse variant.
func (s Solver) AllSteps() []Step {
	if s.Coarse == nil {
		return s.Steps
	}
	return slices.Concat(s.Steps, s.Coarse.Steps)
}

// CoarseVariant is the bench with its coarse variant for a solver: the same inputs, outputs and what follows from them; nil where there is none.
func (b *Bench) CoarseVariant() *Bench {
	coarse := b.Solver.Coarse
	if coarse == nil {
		return nil
	}
	c := *b
	c.Solver.Steps, c.Solver.Formulas, c.Solver.Coarse = coarse.Steps, coarse.Formulas, nil
	if len(coarse.Formulas) > 0 {
		c.Outputs = nil
	}
	if b.OneCase != nil {
		c.OneCase = b.OneCase.CoarseVariant()
	}
	return &c
}

// Keeps are the kinds of evaluations whose working folders can be kept; the first is the default.
var Keeps = []string{KeepFailed, KeepBest, KeepAll, KeepNone}

// The values of keep.
const (
	KeepFailed = "failed" // the last of them
	KeepBest   = "best"
	KeepAll    = "all"
	KeepNone   = "none"
)

// A Step is one thing done in the working folder: exactly one of Fill, Run, Ask, Post and Workbook is set.
type Step struct {
	Fill     *Fill
	Run      *Run
	Ask      *Ask `json:",omitempty"`
	Post     *Post
	Workbook *Workbook `json:",omitempty"`

	FailIf  *FailIf  `json:",omitempty"` // nil: no line says that it gave up
	Version []string `json:",omitempty"` // an argument list that asks the program of Run or Ask what it is; nil: it is not asked
}

// Ask starts a program once for each slot and asks it for each evaluation, by JSON-RPC 2.0.
type Ask struct {
	Args  []string
	Limit time.Duration // for each answer
	Env   map[string]string
}

// FailIf says that an evaluation has failed where a line of a file matches, which is the reason then.
type FailIf struct {
	File  string
	Match string
}

// Workbook sets cells of a workbook, which is calculated when cells are read from it.
type Workbook struct {
	File string
	Set  []CellInput
	By   string // what calculates it: workbook.ByOffice or workbook.ByBuiltIn
	// Volatile names a cell on which outputs depend whose value changes by itself; "" where there is none.
	Volatile string
}

// A CellInput is a cell that gets the value of an input, or of a value derived from inputs alone.
type CellInput struct {
	Cell  workbook.Address
	Input string
}

// Post sends the inputs to a web service, as a JSON object, and keeps its answer as a file.
type Post struct {
	URL    string
	Save   string
	Limit  time.Duration
	Accept []int // status codes; nil: 200 to 299
}

// Fill writes a deck with the values of a design in it: into its blanks, or at the places that Put names.
type Fill struct {
	From string
	To   string
	Put  []Place
}

// Run starts a program.
type Run struct {
	Args   []string
	Limit  time.Duration
	Stdin  string
	Stdout string
	Accept []int
	Env    map[string]string
}

// An Output is a number, a vector or a curve read from a file that the steps wrote, or from the answer of a program. Pointer, Match, Table and Curve say
// where it stands; a curve may be read at a pointer or from a table.
type Output struct {
	Name    string `json:"name"`
	Label   string `json:"label,omitempty"`
	Unit    string `json:"unit,omitempty"`
	File    string `json:"file,omitempty"`
	Answer  bool   `json:"answer,omitempty"`  // it is read from the answer of the program that is asked
	Pointed bool   `json:"pointed,omitempty"` // it is read from JSON, at Pointer
	Pointer string `json:"pointer,omitempty"` // RFC 6901; "" is the whole document
	Match   string `json:"match,omitempty"`
	Table   *Table `json:"table,omitempty"`
	Cell    string `json:"cell,omitempty"`  // of a workbook, or several: Sheet1!B9:B20
	Which   int    `json:"which,omitempty"` // of matches or blocks: 0 the last, else counted from 1; AllBlocks
	Curve   *Curve `json:"curve,omitempty"`
	Take    string `json:"take,omitempty"`   // reduces a curve at once
	Commas  bool   `json:"commas,omitempty"` // numbers of the file have decimal commas
	// Gradient says where the derivatives of a number stand, if the solver gives them: an object, input name to number.
	Gradient *Gradient `json:"gradient,omitempty"`
}

// A Gradient is an object in a JSON file.
type Gradient struct {
	File    string `json:"file"`
	Pointer string `json:"pointer"`
}

// Shape is what the output gives.
func (o Output) Shape() formula.Shape {
	switch {
	case o.Take != "":
		return formula.Number
	case o.Curve != nil:
		return formula.Curve
	case o.Table != nil || o.Cells() > 1:
		return formula.Vector
	}
	return formula.Number
}

// Cells is how many cells of a workbook the output reads; 0 for another output.
func (o Output) Cells() int {
	a, err := workbook.ParseAddress(o.Cell)
	if o.Cell == "" || err != nil {
		return 0
	}
	return a.Cells()
}

// AllBlocks stands for all blocks of a table, one after the other.
const AllBlocks = -1

// A Table is a block of rows in a text: below the line that contains After, up to the first line without numbers in the fields
// asked, or so many rows, or up to the line that contains Until.
type Table struct {
	After string `json:"after"`
	Field string `json:"field,omitempty"` // by number, from 1, or by name; "" where a curve names its columns, or Columns are given
	// Columns are the first and the last character of each row between which the number stands, from 1; 0 where a field is asked.
	Columns [2]int `json:"columns,omitzero"`
	Rows    int    `json:"rows,omitempty"`
	Until   string `json:"until,omitempty"`
	Header  bool   `json:"header,omitempty"` // a line above the rows has the names of the columns
}

// FieldOfColumns names a number between two characters of a row as fields are named.
func FieldOfColumns(columns [2]int) string { return fmt.Sprintf("%d-%d", columns[0], columns[1]) }

// A Curve names the columns of a table: by header name, or by number counted from 1.
type Curve struct {
	X     string `json:"x"`
	Y     string `json:"y"`
	XUnit string `json:"x_unit,omitempty"`
}

// A Derived value is computed by a formula.
type Derived struct {
	Name    string             `json:"name"`
	Label   string             `json:"label,omitempty"`
	Unit    string             `json:"unit,omitempty"`
	Formula formula.Expression `json:"-"`
	Along   *Along             `json:"-"` // what a vector formula runs along; nil: nothing
}

// Along names the values that a vector formula runs along: a column of a file, or evenly spaced numbers. The formula
// gives a curve over them.
type Along struct {
	Name     string
	File     string
	Column   string
	From, To float64
	Count    int
	Values   []float64 // of the column or the numbers, once the files are read
}

// A Requirement is a performance target.
type Requirement struct {
	ID         string
	Says       string
	Of         formula.Expression
	Kind       string       // at_most, at_least, between, equals, under or over
	Limits     []float64    // one number; two for between
	Within     float64      // for equals
	File       string       // of the curve, for under and over
	LimitCurve *curve.Curve // that curve
	Limit      core.Limit
	Wish       bool
	Price      float64
	// Probability is that with which the requirement is to be met under scatter; 0: none is asked for.
	Probability float64
	On          string   // the curve on which the limit is drawn; "": what follows from Of
	In          []string // the cases in which it holds; nil: in all
	inCases     []CaseLimit
}

// Decisive is true for a requirement on which feasibility depends: neither a wish nor soft.
func (r Requirement) Decisive() bool { return !r.Wish && r.Price == 0 }

// Input returns the input of that name.
func (b *Bench) Input(name string) (Input, bool) {
	return Find(b.Inputs, name, func(in Input) string { return in.Name })
}

// InputNames lists the inputs, in the order of the file.
func (b *Bench) InputNames() []string {
	names := make([]string, len(b.Inputs))
	for i, in := range b.Inputs {
		names[i] = in.Name
	}
	return names
}

// Study returns the study of that name.
func (b *Bench) Study(name string) (Study, bool) {
	return Find(b.Studies, name, func(s Study) string { return s.Name })
}

// Requirement returns the requirement of that id.
func (b *Bench) Requirement(id string) (Requirement, bool) {
	return Find(b.Requirements, id, func(r Requirement) string { return r.ID })
}

func Find[T any](all []T, name string, nameOf func(T) string) (T, bool) {
	for _, one := range all {
		if nameOf(one) == name {
			return one, true
		}
	}
	var none T
	return none, false
}

// Varied lists the inputs that have a range, values or a catalog, in the order of the file.
func (b *Bench) Varied() []Input {
	var varied []Input
	for _, in := range b.Inputs {
		if in.Varied() {
			varied = append(varied, in)
		}
	}
	return varied
}

// NominalRow holds the nominal value of every input, and what follows from them, in the order of Variables.
func (b *Bench) NominalRow() []float64 {
	row := make([]float64, len(b.Variables()))
	for i, in := range b.Inputs {
		row[i] = in.NominalNumber()
	}
	b.FillColumns(row)
	return row
}

// ShapeOf is what a name gives in a formula.
func (b *Bench) ShapeOf(name string) (formula.Shape, bool) {
	if strings.Contains(name, "(") {
		return formula.Number, true // a statistic
	}
	base, _ := b.OfCase(name)
	if s, known := b.Shapes[base]; known {
		return s, true
	}
	base, _, _ = strings.Cut(name, ".")
	in, _ := b.Input(base)
	return formula.Number, in.Choices != nil && in.Choices.Catalog != ""
}

// ValueNames lists, in order, what formulas can use besides inputs: outputs and derived values.
func (b *Bench) ValueNames() []string {
	var names []string
	for _, g := range b.Returns() {
		names = append(names, g.Name)
	}
	for _, d := range b.Derived {
		names = append(names, d.Name)
	}
	return names
}

// Unit returns the unit of an input, output or derived value, or "".
func (b *Bench) Unit(name string) string {
	if in, ok := b.Input(name); ok {
		return in.Unit
	}
	if g, ok := Find(b.Returns(), name, func(r Returned) string { return r.Name }); ok {
		return g.Unit
	}
	d, ok := Find(b.Derived, name, func(d Derived) string { return d.Name })
	if !ok && b.OneCase != nil {
		return b.OneCase.Unit(name)
	}
	return d.Unit
}

// ofNames is a formula that is the largest or the least of names.
var ofNames = regexp.MustCompile(`^(?:max|min)\(([\w.]+(?:, [\w.]+)*)\)$`)

// UnitOf is the unit of what a formula gives: that of the name that it is, or of all names of which it is the largest or the least; else "".
func (b *Bench) UnitOf(text string) string {
	found := ofNames.FindStringSubmatch(text)
	if found == nil {
		return b.Unit(text)
	}
	names := strings.Split(found[1], ", ")
	unit := b.Unit(names[0])
	if slices.ContainsFunc(names, func(name string) bool { return b.Unit(name) != unit }) {
		return ""
	}
	return unit
}

// Label returns the label of an input, output or derived value, or "".
func (b *Bench) Label(name string) string {
	if in, ok := b.Input(name); ok {
		return in.Label
	}
	if g, ok := Find(b.Returns(), name, func(r Returned) string { return r.Name }); ok {
		return g.Label
	}
	d, ok := Find(b.Derived, name, func(d Derived) string { return d.Name })
	if !ok && b.OneCase != nil {
		return b.OneCase.Label(name)
	}
	return d.Label
}

// LimitOf gives the interval of a requirement from its numbers.
func LimitOf(kind string, limits []float64, within, reserve float64) core.Limit {
	limit := core.Limit{Lower: math.Inf(-1), Upper: math.Inf(1), Reserve: reserve}
	switch kind {
	case "at_most":
		limit.Upper = limits[0]
	case "at_least":
		limit.Lower = limits[0]
	case "between":
		limit.Lower, limit.Upper = limits[0], limits[1]
	case "equals":
		limit.Lower, limit.Upper = decimal.Difference(limits[0], within), decimal.Sum(limits[0], within)
	case "under", "over": // of the least distance to the curve
		limit.Lower = 0
	}
	return limit
}
