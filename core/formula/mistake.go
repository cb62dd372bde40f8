package formula

import (
	"fmt"
	"regexp"
	"strings"
)

// unexpected and badNumber are what the parser says of a formula that it cannot read.
var (
	unexpected = regexp.MustCompile(`^unexpected token (\w+)(?:\("(.*)"\))?`)
	badNumber  = regexp.MustCompile(`^bad number syntax: "(.*)"`)
)

// inWords says in words what the parser says of a formula: what stands there, and what to do.
func inWords(said, text string, at int) string {
	before := strings.TrimSpace(text[:min(at, len(text))])
	if number := badNumber.FindStringSubmatch(said); number != nil {
		return fmt.Sprintf("%s is no number; a product is written with *, as in 2*x", number[1])
	}
	found := unexpected.FindStringSubmatch(said)
	switch {
	case found == nil:
		return said
	case found[1] == "EOF" && strings.Count(text, "(") > strings.Count(text, ")"):
		return "a bracket ( is not closed: add )"
	case found[1] == "EOF" && strings.Contains(text, "?") && !strings.Contains(text, ":"):
		return "behind ? and a value, : and the other value are missing: a ? b : c"
	case found[1] == "EOF":
		return "it ends too early: a value is missing at its end"
	case found[2] == ")" && strings.Count(text, ")") > strings.Count(text, "("):
		return "there is a bracket ) too much: remove it, or add ( before it"
	case found[2] == ",":
		return "a comma stands where none can: it parts the arguments of a function, and a decimal point is written ."
	case found[1] == "Identifier" || found[1] == "Number":
		return fmt.Sprintf("an operator is missing between %q and %q: a product is written with *", lastWord(before), found[2])
	case found[2] == "":
		return "something stands where a value was due"
	}
	return fmt.Sprintf("%q stands where a value was due", found[2])
}

func lastWord(text string) string {
	fields := strings.Fields(text)
	if len(fields) == 0 {
		return ""
	}
	return fields[len(fields)-1]
}
