package result

// Turns say what turning each input a little does to the margins of requirements.
type Turns struct {
	Requirement string `json:"requirement"` // that is to be helped
	Turns       []Turn `json:"turns"`       // those that help it most first
}

// A Turn is a small change of one input.
type Turn struct {
	Input   string             `json:"input"`
	By      float64            `json:"by"`
	Margins map[string]float64 `json:"margins"`         // by how much each margin grows
	Fails   bool               `json:"fails,omitempty"` // the solver has no values there
	Says    string             `json:"says"`
}
