package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/edit"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/bench/requirements"
	"ropebench/result"
)

func (a *App) requirementsCommand() *cobra.Command {
	var from string
	write := false
	c := &cobra.Command{
		Use: "requirements FILE", Short: "Take requirements from a list (CSV, ReqIF) into a bench file", Args: cobra.ExactArgs(1),
		Long: "Reads a list of requirements that another program keeps: CSV with a header, or ReqIF 1.2. Its columns, or attributes by their long names, are id\n" +
			"(or ReqIF.ForeignID), says (or ReqIF.Text), of, at_most, at_least, equals with within, reserve, with_probability, wish and price; others are left alone.\n" +
			"What is new to the bench is shown as it would stand there, and written with --write; what differs is said, and not touched.",
		Example: "  ropebench requirements zipline.bench.yaml --from targets.csv\n  ropebench requirements zipline.bench.yaml --from targets.reqif --write",
		RunE: func(_ *cobra.Command, args []string) error {
			all, err := listed(from)
			if err != nil {
				return err
			}
			return a.takeRequirements(args[0], all, write)
		},
	}
	c.Flags().StringVar(&from, "from", "", "the list: its name ends in .csv or .reqif")
	c.Flags().BoolVar(&write, "write", false, "write what is new into the bench file")
	return c
}

const mostOfAList = 64 << 20 // bytes of a list

// listed reads a list of requirements.
func listed(from string) ([]requirements.Stated, error) {
	way := map[string]func([]byte) ([]requirements.Stated, error){".csv": requirements.FromCSV, ".reqif": requirements.FromReqIF}[strings.ToLower(filepath.Ext(from))]
	if way == nil {
		return nil, wrongUse("--from names a list that ends in .csv or .reqif, and not %q", from)
	}
	text, err := readWhole(from, mostOfAList)
	if err != nil {
		return nil, err
	}
	all, err := way(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", from, err)
	}
	return all, nil
}

// readWhole reads a plain file up to a size.
func readWhole(path string, most int64) ([]byte, error) {
	root, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return nil, err
	}
	text, err := plain.ReadFile(root.OpenFile, filepath.Base(path), most)
	if err = errors.Join(err, root.Close()); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	return text, nil
}

// takeRequirements shows what is new, what differs and what cannot be read, and writes what is new.
func (a *App) takeRequirements(file string, all []requirements.Stated, write bool) error {
	b, _, err := read.Load(file)
	if err != nil {
		return err
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	v := a.view(api.Bench{})
	added := 0
	for _, s := range all {
		if s.Unread != "" {
			v.line("%s", v.ochre(fmt.Sprintf("! %s is left out: %s", cmp.Or(s.ID, "one without an id"), s.Unread)))
			continue
		}
		if there, known := b.Requirement(s.ID); known {
			if differs := otherwise(there, s); differs != "" {
				v.line("%s", v.ochre(fmt.Sprintf("! %s differs: %s; change it by hand in %s", s.ID, differs, file)))
			}
			continue
		}
		changed, err := edit.AddRequirement(file, text, s.ID, s.YAML())
		if err != nil {
			v.line("%s", v.ochre(fmt.Sprintf("! %s is left out: %s", s.ID, err)))
			continue
		}
		text, added = changed, added+1
		v.line("  %s: %s", s.ID, s.YAML())
	}
	switch {
	case added == 0:
		v.line("The list has %s, and nothing that is new to %s and can be read.", plain.Count(len(all), "requirement"), file)
	case !write:
		v.line("%s would be new. Nothing is written yet: --write does.", plain.Count(added, "requirement"))
	default:
		if err := writeWhole(file, text); err != nil {
			return err
		}
		v.line("%s new in %s.", plain.Count(added, "requirement"), file)
	}
	return nil
}

// otherwise says in what a requirement of the bench differs from a list, "" where in nothing.
func otherwise(q bench.Requirement, s requirements.Stated) string {
	if q.Of.Text != s.Fields["of"] {
		return fmt.Sprintf("it is of %s, and the list has %s", q.Of.Text, s.Fields["of"])
	}
	want := map[string][]string{"at_most": {"at_most"}, "at_least": {"at_least"}, "equals": {"equals"}, "between": {"at_least", "at_most"}}[q.Kind]
	if want == nil {
		return ""
	}
	for i, key := range want {
		if number, is := plain.YAMLNumber(s.Fields[key]); !is || number != q.Limits[i] {
			return fmt.Sprintf("%s is %s, and the list has %s", key, plain.Exact(q.Limits[i]), cmp.Or(s.Fields[key], "none"))
		}
	}
	return ""
}

// reqif writes verdicts as a ReqIF file of their own, or into one that is there.
func (a *App) reqif(ctx context.Context, s *session, summed result.Verdicts, into string) ([]byte, error) {
	b, err := s.Bench(ctx, summed.Bench)
	if err != nil {
		return nil, err
	}
	var answers []requirements.Answer
	for _, q := range b.Requirements {
		at := slices.IndexFunc(summed.Requirements, func(one result.VerdictOn) bool { return one.ID == q.ID })
		if at < 0 {
			continue
		}
		j := summed.Requirements[at]
		verified := "no"
		if summed.Verified {
			verified = "yes"
		}
		var values [][2]string
		if into == "" { // a list that is there says that itself
			values = statedOf(q)
		}
		answers = append(answers, requirements.Answer{ID: q.ID, Values: append(values, [][2]string{{"ropebench verdict", verdictWords(string(j.Verdict))}, {"ropebench value", exactly(j.Value)}, {"ropebench margin", exactly(j.Margin)},
			{"ropebench unit", q.Unit}, {"ropebench verified", verified}, {"ropebench candidate", fmt.Sprintf("%s, revision %d of %s", summed.Candidate, summed.Revision, summed.Bench)}}...)})
	}
	now := time.Now()
	if into == "" {
		return requirements.NewReqIF(b.Title, "Rope Bench "+a.Version, answers, now)
	}
	text, err := readWhole(into, mostOfAList)
	if err != nil {
		return nil, err
	}
	written, missing, err := requirements.Answered(text, answers, now)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", into, err)
	}
	if len(missing) > 0 {
		a.say("%s has no object for %s: their verdicts are left out.", into, plain.List(missing))
	}
	return written, nil
}

// statedOf is what a list says of a requirement, so that it can be read from there again.
func statedOf(q api.Requirement) [][2]string {
	values := [][2]string{{"says", q.Says}, {"of", q.Of}}
	switch {
	case len(q.Limits) == 2:
		values = append(values, [2]string{"at_least", plain.Exact(q.Limits[0])}, [2]string{"at_most", plain.Exact(q.Limits[1])})
	case len(q.Limits) == 1:
		values = append(values, [2]string{q.Kind, plain.Exact(q.Limits[0])})
	}
	for _, one := range []struct {
		key   string
		value float64
	}{{"within", q.Within}, {"reserve", q.Reserve}, {"price", q.Price}} {
		if one.value != 0 {
			values = append(values, [2]string{one.key, plain.Exact(one.value)})
		}
	}
	if !q.Decisive && q.Price == 0 {
		values = append(values, [2]string{"wish", "true"})
	}
	return values
}

func exactly(v *float64) string {
	if v == nil {
		return ""
	}
	return plain.Exact(*v)
}
