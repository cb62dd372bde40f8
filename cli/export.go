package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ropebench/api"
	"ropebench/bench/plain"

	"github.com/spf13/cobra"
)

func (a *App) exportCommand() *cobra.Command {
	var revision int
	c := &cobra.Command{
		Use: "export BENCH|CANDIDATE|RUN:EVALUATION TARGET", Short: "Take the files of a revision out, or the filled decks of a design", Args: cobra.ExactArgs(2),
		Long: "Writes the bench file and every file that it names, as they were in a revision, into a folder that is empty or not there\nyet, or into a file whose name ends in .zip. Of a candidate, or a design of a run, it writes what the solver reads: decks with their\nnumbers filled in, by the bench as it is now or by a revision, and the other files of its steps.",
		RunE: func(c *cobra.Command, args []string) error {
			s, err := a.connect(c.Context())
			if err != nil {
				return err
			}
			defer s.close()
			name, of, err := a.exported(c.Context(), s, args[0])
			if err != nil {
				return err
			}
			archive, err := s.Archive(c.Context(), name, revision, of)
			if err != nil {
				return err
			}
			count, err := writeArchive(archive, args[1])
			if err != nil {
				return err
			}
			a.say("%s of %s in %s", plain.Count(count, "file"), args[0], args[1])
			return nil
		},
	}
	c.Flags().IntVar(&revision, "revision", 0, "the revision; by default the newest")
	return c
}

// exported is what a name means: a bench, a candidate, or a design of a run. What is none of them is said by the service: there is no such bench.
func (a *App) exported(ctx context.Context, s *session, name string) (bench string, of api.Candidate, err error) {
	benches, err := s.Benches(ctx)
	if err != nil || slices.ContainsFunc(benches, func(b api.BenchSummary) bool { return b.Name == name }) {
		return name, of, err
	}
	if namesACandidate(name) {
		_, last, qualified := strings.Cut(name, "/")
		if !qualified {
			last = name
		}
		picked, err := s.Candidates(ctx, "")
		if err != nil || !slices.ContainsFunc(picked, func(one api.NamedCandidate) bool { return one.Name == last }) {
			return name, of, err
		}
	}
	d, err := a.designOf(ctx, s, name)
	return d.Bench, d.Candidate, err
}

// writeArchive puts an archive into a file, or its members into an empty folder, and counts them.
func writeArchive(archive []byte, target string) (int, error) {
	members, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		return 0, fmt.Errorf("the archive cannot be read: %w", err)
	}
	if strings.HasSuffix(target, ".zip") {
		file, err := os.OpenFile(target, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
		if err != nil {
			return 0, fmt.Errorf("%s cannot be made: %w", target, err)
		}
		_, err = file.Write(archive)
		return len(members.File), errors.Join(err, file.Close())
	}
	if err := os.MkdirAll(target, 0o755); err != nil {
		return 0, fmt.Errorf("the folder %s cannot be made: %w", target, err)
	}
	if entries, err := os.ReadDir(target); err != nil || len(entries) > 0 {
		return 0, errors.Join(err, fmt.Errorf("the folder %s is not empty: name another one", target))
	}
	root, err := os.OpenRoot(target) // no member leads out of it
	if err != nil {
		return 0, err
	}
	defer root.Close()
	for _, member := range members.File {
		if err := writeMember(root, member); err != nil {
			return 0, fmt.Errorf("%s: %w", member.Name, err)
		}
	}
	return len(members.File), nil
}

func writeMember(root *os.Root, member *zip.File) error {
	if parent := filepath.Dir(member.Name); parent != "." {
		if err := root.MkdirAll(parent, 0o755); err != nil {
			return err
		}
	}
	packed, err := member.Open()
	if err != nil {
		return err
	}
	defer packed.Close()
	file, err := root.OpenFile(member.Name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, member.Mode().Perm())
	if err != nil {
		return err
	}
	_, err = io.Copy(file, packed)
	return errors.Join(err, file.Close())
}
