package solver

import "context"

// A Version is what a program that a step starts says it is.
type Version struct {
	Program string // its path; as the bench names it where it is not found
	Says    string // the first line of what it prints, where the bench says how to ask it; "" else
}

// A Versioned solver starts programs. Versions asks them what they are, in a folder that it makes and leaves to its caller; a program that does
// not say is no error.
type Versioned interface {
	Versions(ctx context.Context, folder string) ([]Version, error)
}
