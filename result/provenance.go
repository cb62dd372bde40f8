package result

import "time"

// A Provenance says where the values of a verification come from, so that anyone can repeat it.
type Provenance struct {
	Files    map[string]string `json:"files"`    // of the bench, by path: SHA-256, hexadecimal
	Programs []Program         `json:"programs"` // that the steps start
	Program  string            `json:"program"`  // Rope Bench, with its version
	Machine  string            `json:"machine"`
	At       time.Time         `json:"at"`
}

// A Program is one that a step starts.
type Program struct {
	Path    string `json:"path"`
	Version string `json:"version,omitempty"` // that it says, where the bench says how to ask it
}
