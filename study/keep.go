package study

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/dispatch"
)

const (
	mostFailedKept = 20      // evaluations that failed whose files are kept
	mostKept       = 1 << 30 // bytes of files that a run keeps
)

// Kept says which evaluation of a run has files that were kept, and how many bytes they have.
type Kept struct {
	Number int
	Bytes  int64
}

// A keeper keeps files of working folders as the bench says, within bounds: what was kept first goes first.
type keeper struct {
	keep    string // one of bench.Keeps
	records Records
	run     int
	isBest  func(number int) bool

	mutex sync.Mutex // guards what follows
	kept  []Kept     // in the order in which they were kept
}

// Keep implements dispatch.Keeper.
func (k *keeper) Keep(record dispatch.Record, folder string) error {
	failed := record.State == core.Failed || record.State == core.TimedOut
	switch {
	case k.keep == bench.KeepAll, k.keep == bench.KeepFailed && failed, k.keep == bench.KeepBest && k.isBest(record.Number):
	default:
		return nil
	}
	k.mutex.Lock()
	defer k.mutex.Unlock()
	size, err := k.records.KeepFiles(k.run, record.Number, folder)
	if err != nil {
		return fmt.Errorf("the files of evaluation %d cannot be kept: %w", record.Number, err)
	}
	k.kept = append(k.kept, Kept{record.Number, size})
	return k.prune()
}

// prune drops what is too much.
func (k *keeper) prune() error {
	for len(k.kept) > 1 && k.tooMuch() {
		if err := k.records.DropFiles(k.run, k.kept[0].Number); err != nil {
			return err
		}
		k.kept = k.kept[1:]
	}
	return nil
}

func (k *keeper) tooMuch() bool {
	var bytes int64
	for _, one := range k.kept {
		bytes += one.Bytes
	}
	return bytes > mostKept || k.keep == bench.KeepBest || k.keep == bench.KeepFailed && len(k.kept) > mostFailedKept
}

// A copier copies the files of working folders to where a person wants them: of one evaluation as they are, of several into
// folders of their own.
type copier struct {
	into    string
	several bool
}

// Keep implements dispatch.Keeper.
func (c copier) Keep(record dispatch.Record, folder string) error {
	into := c.into
	if c.several {
		into = filepath.Join(into, "evaluation-"+strconv.Itoa(record.Number))
	}
	if err := os.CopyFS(into, plainFiles{os.DirFS(folder)}); err != nil {
		return fmt.Errorf("the working folder cannot be kept in %s: %w", into, err)
	}
	return nil
}

// plainFiles are the folders and plain files of a file system: what a solver leaves beside them cannot be kept.
type plainFiles struct{ fs.FS }

// ReadDir implements fs.ReadDirFS.
func (p plainFiles) ReadDir(name string) ([]fs.DirEntry, error) {
	entries, err := fs.ReadDir(p.FS, name)
	return slices.DeleteFunc(entries, func(e fs.DirEntry) bool { return !e.IsDir() && !e.Type().IsRegular() }), err
}

// keeperOf is the keeper of a run, and whether it wants the files of evaluations that are OK.
func (r *Runs) keeperOf(l *liveRun, keep string) (dispatch.Keeper, bool, error) {
	run, _ := l.snapshot()
	var all keepers
	if run.Question.Keep != "" {
		all = append(all, copier{into: run.Question.Keep, several: run.Question.Kind == KindVerify})
	}
	if run.Question.Kind == KindTry && keep == bench.KeepFailed {
		keep = bench.KeepAll // it is one evaluation, made to be looked at
	}
	if keep == bench.KeepNone {
		return all, len(all) > 0, nil
	}
	kept, err := r.records.Kept(run.ID)
	if err != nil {
		return nil, false, err
	}
	isBest := func(number int) bool {
		l.mutex.Lock()
		defer l.mutex.Unlock()
		return l.standing.best != nil && l.standing.best.number == number
	}
	all = append(all, &keeper{keep: keep, records: r.records, run: run.ID, isBest: isBest, kept: kept})
	return all, keep != bench.KeepFailed || len(all) > 1, nil
}

// keepers are shown each evaluation one after the other.
type keepers []dispatch.Keeper

// Keep implements dispatch.Keeper.
func (all keepers) Keep(record dispatch.Record, folder string) error {
	for _, one := range all {
		if err := one.Keep(record, folder); err != nil {
			return err
		}
	}
	return nil
}
