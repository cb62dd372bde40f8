package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/result"
)

// reportEndings say by the name of a file as what a report is written.
var reportEndings = map[string]string{".html": "html", ".md": "markdown", ".xml": "junit", ".csv": "csv", ".xlsx": "xlsx", ".json": "json", ".reqif": asReqIF}

// asReqIF is written here: it may go into a file that is there.
const asReqIF = "reqif"

func (a *App) reportCommand() *cobra.Command {
	var out, into string
	c := &cobra.Command{
		Use: "report CANDIDATE|RUN[:EVALUATION]", Short: "Write what is known of a candidate: a report, or its verdicts for other programs", Args: cobra.ExactArgs(1),
		Long: "Writes the problem, the work and its cost, what matters, how the design was found, the candidate beside the nominal design, each requirement\n" +
			"with its margin, what was not shown, and how to repeat it. The name of the file says how: .html is one page that needs no other file and prints\n" +
			"on A4, .md is the same without figures. Verdicts alone are written for a build server (.xml, JUnit: a case for each requirement), for a\n" +
			"spreadsheet (.xlsx, .csv), for a script (.json), or for a tool of requirements (.reqif, ReqIF 1.2): a file of its own, or, by --into, the objects\n" +
			"of a file that is there with the verdicts beside what they have.\n\n" +
			"The report is written whatever it says; the command ends with 3 where a requirement is missed.",
		Example: "  ropebench report light --out report.html\n  ropebench report 4:17 --out verdicts.xml",
		RunE: func(c *cobra.Command, args []string) error {
			as := reportEndings[strings.ToLower(filepath.Ext(out))]
			if as == "" {
				return wrongUse("--out names a file that ends in .html, .md, .xml, .csv, .xlsx, .json or .reqif, and not %q", out)
			}
			if into != "" && as != asReqIF {
				return wrongUse("--into is for verdicts in a ReqIF file: --out names one that ends in .reqif")
			}
			return a.withDesign(c.Context(), args[0], func(s *session, _ api.Run, d design) error { return a.report(c.Context(), s, d, as, out, into) })
		},
	}
	c.Flags().StringVar(&out, "out", "", "the file to write")
	c.Flags().StringVar(&into, "into", "", "a ReqIF file whose requirements get the verdicts; it stays as it is, and what comes of it is written to --out")
	return c
}

// report writes a report into a file, and says what it comes to.
func (a *App) report(ctx context.Context, s *session, d design, as, out, into string) error {
	query := url.Values{"candidate": {d.Name}}
	if d.Name == "" {
		query = url.Values{"run": {strconv.Itoa(d.Run)}, "evaluation": {strconv.Itoa(d.Evaluation)}}
	}
	query.Set("as", "json")
	summed, err := s.Report(ctx, d.Bench, query)
	if err != nil {
		return err
	}
	var answer result.Verdicts
	if err := json.Unmarshal(summed, &answer); err != nil {
		return fmt.Errorf("the answer of the service cannot be read: %w", err)
	}
	text := summed
	switch query.Set("as", as); as {
	case "json":
	case asReqIF:
		text, err = a.reqif(ctx, s, answer, into)
	default:
		text, err = s.Report(ctx, d.Bench, query)
	}
	if err != nil {
		return err
	}
	if err := writeWhole(out, text); err != nil {
		return err
	}
	if a.json {
		if err := a.machine(map[string]any{"file": out, "as": as, "says": answer.Says}); err != nil {
			return err
		}
	} else {
		a.say("%s\nThe report is %s", answer.Says, out)
	}
	for _, q := range answer.Requirements {
		if q.Decides && string(q.Verdict) == wasMissed {
			return exitErrorOf{code: exitMissed, said: true}
		}
	}
	return nil
}

// writeWhole writes a file so that it is whole or as it was.
func writeWhole(path string, text []byte) error {
	file, err := os.CreateTemp(filepath.Dir(path), ".ropebench-*")
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", path, err)
	}
	_, err = file.Write(text)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Chmod(file.Name(), 0o644)
	}
	if err == nil {
		err = os.Rename(file.Name(), path)
	}
	if err != nil {
		os.Remove(file.Name()) // what is in the way is said already
		return fmt.Errorf("%s cannot be written: %w", path, err)
	}
	return nil
}
