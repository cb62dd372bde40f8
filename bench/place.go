package bench

// A Place says where a number stands in a file that another program wrote: on which lines, and there in which field or
// columns. Lines, fields and columns count from 1.
type Place struct {
	Input   string `json:"input"`
	After   string `json:"after,omitempty"`  // the line that contains this text; else Lines
	Line    int    `json:"line,omitempty"`   // so many lines below it
	Lines   [2]int `json:"lines,omitzero"`   // the first and the last of them
	Field   int    `json:"field,omitempty"`  // separated by commas, semicolons, tabs or blanks; else Columns
	Columns [2]int `json:"columns,omitzero"` // the first and the last of them
	Format  string `json:"format,omitempty"`
}
