package study

import "ropebench/bench"

// workbooksWhole is the form of values from which on every cell of a workbook is calculated anew for each design.
const workbooksWhole = 1

// valuesForm is the form of the values that a run records. It is raised where those before are not reliable: Unreliable says which.
const valuesForm = workbooksWhole

// Unreliable says why the values that a run of a bench has recorded are not reliable; "" where nothing is known against them.
func Unreliable(run Run, b *bench.Bench) string {
	if run.ValuesForm >= workbooksWhole || run.Evaluations == 0 {
		return ""
	}
	for _, step := range b.Solver.AllSteps() {
		if step.Workbook != nil {
			return "not reliable: an older version of Rope Bench calculated the workbook " + step.Workbook.File + " for it, which left some cells as they were for the design before, or took a formula otherwise than spreadsheet programs do; run the study again"
		}
	}
	return ""
}
