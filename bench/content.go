package bench

import (
	"fmt"
	"path/filepath"
	"strings"
)

// Suffix is how the name of every bench file ends; what stands before it is the name of the bench.
const Suffix = ".bench.yaml"

// Content is what a bench consists of: the bench file and every file that it names, by their paths below the folder,
// with / between parts.
type Content struct {
	File  string
	Files map[string]File
}

// A File is one of the files of a bench.
type File struct {
	Text       []byte
	Executable bool
}

// Name is the stem of a bench file: zipline for zipline.bench.yaml. The error says what is wrong with the name.
func Name(file string) (string, error) {
	name, isBench := strings.CutSuffix(filepath.Base(file), Suffix)
	if !isBench {
		return "", fmt.Errorf("%s is not a bench file: its name must end in %s", file, Suffix)
	}
	if err := CheckName(name); err != nil {
		return "", fmt.Errorf("%w: rename the file", err)
	}
	return name, nil
}

// CheckName refuses what cannot be the name of a bench.
func CheckName(name string) error {
	if !GoodDashName.MatchString(name) {
		return fmt.Errorf("the name %q of a bench must be a letter, then letters, digits, _ and -", name)
	}
	return nil
}

// Written is true for a file that a step makes.
func (b *Bench) Written(path string) bool {
	for _, step := range b.Solver.AllSteps() {
		if step.Fill != nil && step.Fill.To == path || step.Run != nil && step.Run.Stdout == path || step.Post != nil && step.Post.Save == path {
			return true
		}
	}
	return false
}

// ContentPath is the path of a file in the content of a bench.
func ContentPath(path string) string { return filepath.ToSlash(filepath.Clean(path)) }
