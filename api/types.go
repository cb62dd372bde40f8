package api

import (
	"time"

	"ropebench/bench"
	"ropebench/result"
)

// The types of this file are those of service/openapi.yaml: a test holds one against the other. Service and client share
// them.

// A Problem is an answer that says what is wrong, where, and what to do (RFC 9457).
type Problem struct {
	Title    string         `json:"title"`
	Status   int            `json:"status"`
	Detail   string         `json:"detail"`
	Problems bench.Problems `json:"problems,omitempty"`
}

func (p Problem) Error() string { return p.Detail }

// Health says what a service is.
type Health struct {
	Version    string `json:"version"`
	Data       string `json:"data"`
	Slots      int    `json:"slots"`
	Unfinished []int  `json:"unfinished"` // runs that are queued or at work
	Companion  bool   `json:"companion"`  // it ends when its last client has left
}

// A Link opens the console once.
type Link struct {
	URL string `json:"url"`
}

// A BenchSummary is a bench with its newest revision.
type BenchSummary struct {
	Name     string    `json:"name"`
	Title    string    `json:"title"`
	Folder   string    `json:"folder"`
	File     string    `json:"file"`
	Revision int       `json:"revision"`
	Changed  time.Time `json:"changed"` // when the newest revision was made
}

// A Bench is a bench as it is shown.
type Bench struct {
	BenchSummary
	Notes        string         `json:"notes,omitempty"`
	Inputs       []Input        `json:"inputs"`
	Cases        []Case         `json:"cases,omitempty"`
	Outputs      []Output       `json:"outputs"`
	Requirements []Requirement  `json:"requirements"`
	Studies      []Study        `json:"studies"`
	Statement    string         `json:"statement"`
	Symbols      string         `json:"symbols"`
	Remarks      []string       `json:"remarks"` // what is no mistake and is worth a look
	Solver       string         `json:"solver"`
	Problems     bench.Problems `json:"problems,omitempty"` // in the files as they are now; what is shown is the last good revision
}

// Checked says what is wrong with a bench, or what its problem is.
type Checked struct {
	Problems  bench.Problems `json:"problems"`
	Remarks   []string       `json:"remarks,omitempty"` // what is no mistake and is worth a look
	Statement string         `json:"statement,omitempty"`
	Symbols   string         `json:"symbols,omitempty"`
}

// An Input of a bench.
type Input struct {
	bench.Input
	Varied bool   `json:"varied"`
	Says   string `json:"says"`
}

// An Output of a bench: a value, a curve or a derived value.
type Output struct {
	Name  string `json:"name"`
	Label string `json:"label,omitempty"`
	Unit  string `json:"unit,omitempty"`
	Kind  string `json:"kind"`
	Says  string `json:"says"`
	X     string `json:"x,omitempty"`
	XUnit string `json:"x_unit,omitempty"`
}

// A Case is a condition in which a design is to hold: every evaluation covers all.
type Case struct {
	Name   string                 `json:"name"`
	Values map[string]bench.Value `json:"values"` // of inputs
}

// A Convergence is how the best design of a search came to be.
type Convergence = result.Convergence

// A Requirement of a bench.
type Requirement struct {
	ID       string    `json:"id"`
	Says     string    `json:"says"`
	Of       string    `json:"of"`
	Unit     string    `json:"unit,omitempty"`
	Kind     string    `json:"kind"`
	Limits   []float64 `json:"limits"` // none for a limit curve
	Within   float64   `json:"within,omitempty"`
	Reserve  float64   `json:"reserve,omitempty"`
	Limit    string    `json:"limit"`
	Decisive bool      `json:"decisive"`
	Price    float64   `json:"price,omitempty"` // of a soft one
	In       []string  `json:"in,omitempty"`    // the cases in which it holds; none where there are no cases, or it is the same in all
	On       []string  `json:"on,omitempty"`    // the curves on which the limit is drawn
	Curve    *Curve    `json:"curve,omitempty"` // that is the limit, for under and over
}

// A Study of a bench.
type Study struct {
	Name     string `json:"name"`
	Kind     string `json:"kind"`
	Says     string `json:"says"`
	Later    string `json:"later,omitempty"`
	Searches bool   `json:"searches"`
	// ObjectiveUnit is that of the objective; "" where it has none, or is made of several.
	ObjectiveUnit string   `json:"objective_unit,omitempty"`
	Objective     string   `json:"objective,omitempty"`
	Maximize      bool     `json:"maximize,omitempty"`
	Watch         []string `json:"watch,omitempty"`
	Moves         []string `json:"moves"` // inputs
	Targets       []Target `json:"targets,omitempty"`
	Pays          []string `json:"pays,omitempty"` // soft requirements, by their ids
	// Evaluations is how many a search takes at most; 0: that is not known before.
	Evaluations int `json:"evaluations,omitempty"`
}

// A Target is a number that a value is to come near to, or to reach.
type Target struct {
	Of string  `json:"of"`
	To float64 `json:"to"`
}

// A Revision is the content of a bench at a moment, with what it changed.
type Revision struct {
	Number  int       `json:"number"`
	Title   string    `json:"title"`
	Created time.Time `json:"created"`
	Changes []string  `json:"changes"`
}

// Files are those of a bench.
type Files struct {
	File  string `json:"file"` // the bench file
	Files []File `json:"files"`
}

// A File is one of the files of a bench.
type File struct {
	Path string `json:"path"`
	Size int    `json:"size"`
	Deck bool   `json:"deck,omitempty"` // a step fills it
	Text bool   `json:"text"`           // it can be edited here
}

// A FileText is the text of a file with its digest: who changes it says which one was read before.
type FileText struct {
	Path   string `json:"path"`
	Text   string `json:"text"`
	Digest string `json:"digest"`
}

// An Edited file, as it was written.
type Edited struct {
	Revision int            `json:"revision"` // the newest good one
	Digest   string         `json:"digest"`
	Text     string         `json:"text"`
	Problems bench.Problems `json:"problems,omitempty"`
}

// An Adoption makes the design of an evaluation the nominal one of its bench.
type Adoption struct {
	Candidate
	Write bool `json:"write"` // into the bench file; otherwise only what would change is told
}

// Adopted says what an adoption changes in the bench file, one sentence for each; nothing where the design is the nominal one already.
type Adopted struct {
	Candidate
	Changes  []string       `json:"changes"`
	Written  bool           `json:"written"`
	Revision int            `json:"revision"` // the newest good one
	Problems bench.Problems `json:"problems,omitempty"`
}

// A Deck is a part of a deck with its numbers.
type Deck struct {
	Path   string      `json:"path"`
	From   int         `json:"from"`
	Total  int         `json:"total"`  // lines in all
	Blanks bool        `json:"blanks"` // it has blanks @[name]
	Lines  [][]Segment `json:"lines"`
}

// A Segment is a part of a line of a deck: plain text, or a number with its field and, where it is taken, the inputs that
// stand for it.
type Segment struct {
	Text    string   `json:"text"`
	Field   int      `json:"field,omitempty"`
	Columns *[2]int  `json:"columns,omitempty"` // where its lines are aligned
	Value   *float64 `json:"value,omitempty"`
	Inputs  []string `json:"inputs,omitempty"`
}

// An Order asks for a run: Study is the name of a study, or try, or verify.
type Order struct {
	Study       string                  `json:"study"`
	Seed        *uint64                 `json:"seed,omitempty"`
	Evaluations int                     `json:"evaluations,omitempty"`
	Hold        map[string]bench.Value  `json:"hold,omitempty"`
	Free        map[string]*bench.Range `json:"free,omitempty"` // inputs that move in this run, in their own range where it is nil
	Fresh       bool                    `json:"fresh,omitempty"`
	Design      map[string]bench.Value  `json:"design,omitempty"`
	Repeats     int                     `json:"repeats,omitempty"`
	Around      bool                    `json:"around,omitempty"` // verify: look at the neighbours, too
	Of          *Candidate              `json:"of,omitempty"`
	Start       map[string]bench.Value  `json:"start,omitempty"`    // of a search: values at which it starts
	Revision    int                     `json:"revision,omitempty"` // 0: the newest
	Keep        string                  `json:"keep,omitempty"`
	Slots       int                     `json:"slots,omitempty"` // at most so many solvers at a time; 0: all that there are
}

// A Change of a bench: its file is elsewhere now, or it gets another name.
type Change struct {
	Path string `json:"path,omitempty"`
	Name string `json:"name,omitempty"`
}

// Kept is an evaluation whose files were kept.
type Kept struct {
	Evaluation int   `json:"evaluation"`
	Bytes      int64 `json:"bytes"`
}

// A KeptFile is a file that the solver has left in the working folder of an evaluation.
type KeptFile struct {
	Path  string `json:"path"`
	Bytes int64  `json:"bytes"`
}

// Results are the files that the last evaluation of a bench has left.
type Results struct {
	Run        int          `json:"run"`
	Evaluation int          `json:"evaluation"`
	Files      []ResultFile `json:"files"`
}

// A ResultFile is one of them.
type ResultFile struct {
	KeptFile
	Outputs []string `json:"outputs,omitempty"` // that are read from it
}

// A Spot is a number of a result file: the n-th of its line, from 1.
type Spot struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Number int    `json:"number"`
}

// A Way is how an output reads a number again.
type Way struct {
	Output  string   `json:"output"` // as it is written in the bench file, without a name
	Says    string   `json:"says"`
	Value   *float64 `json:"value,omitempty"`   // that it reads now, of a single number
	Samples int      `json:"samples,omitempty"` // that it reads now, of a vector or a curve
}

// A NewOutput names the way by which an output reads a number.
type NewOutput struct {
	Spot
	Name  string `json:"name"`
	Label string `json:"label,omitempty"`
	Unit  string `json:"unit,omitempty"`
	Way   int    `json:"way"` // of those that /ways lists, from 0
}

// A Candidate is an evaluation of a run that was picked; evaluation 0 is the best.
type Candidate struct {
	Run        int `json:"run"`
	Evaluation int `json:"evaluation"`
}

// A Pick names a design of a run.
type Pick struct {
	Candidate
	Name    string `json:"name"`
	Because string `json:"because"`
}

// A NamedCandidate is a design that was picked and named.
type NamedCandidate struct {
	Bench string `json:"bench"`
	Pick
	Revision int       `json:"revision"` // of the bench, on which it was evaluated
	Picked   time.Time `json:"picked"`
}

// A Question is what a run was asked.
type Question struct {
	Kind        string                  `json:"kind"`
	Study       string                  `json:"study"`
	Seed        uint64                  `json:"seed"`
	Evaluations int                     `json:"evaluations,omitempty"`
	Hold        map[string]bench.Value  `json:"hold,omitempty"`
	Free        map[string]*bench.Range `json:"free,omitempty"`
	Fresh       bool                    `json:"fresh,omitempty"`
	Design      map[string]bench.Value  `json:"design,omitempty"`
	Repeats     int                     `json:"repeats,omitempty"`
	Around      bool                    `json:"around,omitempty"` // verify: look at the neighbours, too
	Keep        string                  `json:"keep,omitempty"`
	Slots       int                     `json:"slots,omitempty"`
	Of          *Candidate              `json:"of,omitempty"`
	About       string                  `json:"about,omitempty"`   // from which design a search starts, or which one a study is about, in words
	Besides     []string                `json:"besides,omitempty"` // what Hold and Free say, in words
	Start       map[string]bench.Value  `json:"start,omitempty"`
	More        []int                   `json:"more,omitempty"` // points that were added to a sample, each time
}

// A Run is one execution of a study. What it found is its Result.
type Run struct {
	ID       int       `json:"run"`
	Version  int       `json:"version"` // a larger one is a later state of the run
	Bench    string    `json:"bench"`
	Revision int       `json:"revision"`
	Question Question  `json:"question"`
	State    string    `json:"state"`
	Reason   string    `json:"reason,omitempty"`
	Note     string    `json:"note,omitempty"`
	Trying   string    `json:"trying,omitempty"` // which evaluation is tried again
	Budget   int       `json:"budget"`           // evaluations at most; 0: time ends it
	Created  time.Time `json:"created"`
	Began    time.Time `json:"began,omitzero"`
	Ended    time.Time `json:"ended,omitzero"`
	Elapsed  float64   `json:"elapsed"` // seconds at work
	result.Counts
	Headline    *result.Headline `json:"headline,omitempty"`
	Found       int              `json:"found"` // counts the changes of the result
	LastFailure string           `json:"last_failure,omitempty"`
	SolverKey   string           `json:"solver_key,omitempty"`
	Changes     []string         `json:"changes,omitempty"`    // what changed in the bench since this run's revision
	Newest      int              `json:"newest,omitempty"`     // the newest revision of the bench
	Unreliable  string           `json:"unreliable,omitempty"` // why its values are not reliable
}

// AtWork is true for a run that goes on by itself.
func (r Run) AtWork() bool { return r.State == "queued" || r.State == "running" }

// Runs is a page of runs, newest first; Next is the cursor of the next page, 0 on the last.
type Runs struct {
	Runs []Run `json:"runs"`
	Next int   `json:"next,omitempty"`
}

// A Front is one that was taken again among the evaluations of a run.
type Front struct {
	Front    []*result.Design `json:"front"`
	Tradeoff *result.Tradeoff `json:"tradeoff,omitempty"` // absent where no evaluation meets what is asked
	Growth   []result.Growth  `json:"growth"`
}

// A Result is what a run has found, in the form that scripts rely on: with the parts that its study has.
type Result struct {
	Run         int    `json:"run"`
	Study       string `json:"study"`
	Revision    int    `json:"revision"`
	State       string `json:"state"`
	Reason      string `json:"reason"`
	Seed        uint64 `json:"seed"`
	Evaluations int    `json:"evaluations"`
	Reused      int    `json:"reused"`
	Failed      int    `json:"failed"`
	NotTried    int    `json:"not_tried"`
	Coarse      int    `json:"coarse,omitempty"` // by the coarse variant of the solver
	Derivatives int    `json:"derivatives"`
	result.Parts
}

// Evaluations is a page of evaluations; Next is the cursor of the next page, 0 on the last.
type Evaluations struct {
	Inputs      []string     `json:"inputs"`
	Columns     []string     `json:"columns"`
	Evaluations []Evaluation `json:"evaluations"`
	Next        int          `json:"next,omitempty"`
}

// An Evaluation is one line of a table.
type Evaluation struct {
	Number   int           `json:"evaluation"`
	State    string        `json:"state"`
	Design   []bench.Value `json:"design"`
	Values   []*float64    `json:"values,omitempty"` // null where the inputs alone do not decide it
	Feasible bool          `json:"feasible,omitempty"`
	Reused   bool          `json:"reused,omitempty"`
	Reason   string        `json:"reason,omitempty"`
	Missed   []string      `json:"missed,omitempty"` // ids of requirements, of an evaluation that has values
}

// An EvaluationDetail is one evaluation with all that is known of it.
type EvaluationDetail struct {
	Evaluation
	Inputs       map[string]bench.Value     `json:"inputs"`
	Named        map[string]float64         `json:"named,omitempty"` // values by name
	Requirements map[string]result.Judgment `json:"requirements"`
	Seconds      float64                    `json:"seconds"`
	Tail         string                     `json:"tail,omitempty"`
	Steps        []Step                     `json:"steps,omitempty"`
	Curves       map[string]Curve           `json:"curves"`
}

// A Step of a solver with its time.
type Step struct {
	Name    string  `json:"name"`
	Seconds float64 `json:"seconds"`
}

// A Curve, thinned for drawing.
type Curve struct {
	X []float64 `json:"x"`
	Y []float64 `json:"y"`
}

// Derivatives of the values of an evaluation, in the order of Inputs; nil where one is not known.
type Derivatives struct {
	Inputs []string              `json:"inputs"`
	Values map[string][]*float64 `json:"values"`
}

// A ColumnsHeader describes the columns of numbers that follow it.
type ColumnsHeader struct {
	Rows    int               `json:"rows"`
	Columns []ColumnOfNumbers `json:"columns"`
	States  []string          `json:"states"`            // what the numbers of the column state stand for
	Reasons map[string]string `json:"reasons,omitempty"` // of evaluations without values, by number; of the first thousand
}

// A ColumnOfNumbers is described in the order in which the columns follow.
type ColumnOfNumbers struct {
	Name  string   `json:"name"`
	Kind  string   `json:"kind"` // number, state, feasible, reused, input or value
	Unit  string   `json:"unit,omitempty"`
	Words []string `json:"words,omitempty"` // that the numbers of an input stand for
}
