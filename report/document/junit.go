package document

import (
	"encoding/xml"
	"fmt"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core/verdict"
)

type suite struct {
	XMLName   xml.Name `xml:"testsuite"`
	Name      string   `xml:"name,attr"`
	Tests     int      `xml:"tests,attr"`
	Failures  int      `xml:"failures,attr"`
	Skipped   int      `xml:"skipped,attr"`
	Errors    int      `xml:"errors,attr"`
	Timestamp string   `xml:"timestamp,attr"`
	Cases     []check  `xml:"testcase"`
}

type check struct {
	Name    string  `xml:"name,attr"`
	Class   string  `xml:"classname,attr"`
	Failure *reason `xml:"failure"`
	Skipped *reason `xml:"skipped"`
	Error   *reason `xml:"error"`
	Output  string  `xml:"system-out"`
}

type reason struct {
	Message string `xml:"message,attr"`
}

// JUnit writes one case for each requirement, as build servers read it: a requirement that decides and is missed has failed, one that is not
// shown, or not by a verification on the bench as it is now, is an error, and a wish that is missed is skipped.
func JUnit(s Subject) ([]byte, error) {
	all := suite{Name: s.Name + " " + s.Candidate.Name, Timestamp: s.Made.UTC().Format("2006-01-02T15:04:05")}
	for _, r := range s.Rows() {
		one := check{Name: caseName(r), Class: s.Name + "." + s.Candidate.Name, Output: r.inWords()}
		switch says := &(reason{r.inWords()}); {
		case r.Verdict == verdict.Missed && r.Requirement.Decisive():
			one.Failure = says
			all.Failures++
		case r.Verdict == verdict.Missed:
			one.Skipped = says
			all.Skipped++
		case r.Verdict == verdict.NotShown:
			one.Error = says
			all.Errors++
		case !s.IsVerified():
			one.Error = &reason{"not verified on revision " + plain.Whole(s.Revision) + ": " + r.inWords()}
			all.Errors++
		}
		all.Cases = append(all.Cases, one)
	}
	all.Tests = len(all.Cases)
	text, err := xml.MarshalIndent(all, "", "  ")
	return append([]byte(xml.Header), append(text, '\n')...), err
}

func caseName(r Row) string {
	return strings.TrimSpace(r.Requirement.ID + " " + r.Requirement.Says)
}

// inWords is a row in a sentence.
func (r Row) inWords() string {
	says := fmt.Sprintf("%s: %s is to be %s", r.Verdict.Words(), r.Requirement.Of.Text, r.Limit)
	if r.Judgment.Value == nil {
		return says + ", and has no value"
	}
	in := ""
	if r.Judgment.Case != "" {
		in = " in " + r.Judgment.Case
	}
	return fmt.Sprintf("%s, and is %s%s, a margin of %s", says, plain.With(*r.Judgment.Value, r.Unit), in, plain.With(*r.Judgment.Margin, r.Unit))
}
