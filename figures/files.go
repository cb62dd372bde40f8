package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/solver"
	"ropebench/solver/steps"
)

const (
	deckSize = 5 << 20
	logSize  = 50 << 20
	places   = 50
)

// files measures how a large deck is filled, and how large logs are read.
func files(ctx context.Context, _, folder string) ([]figure, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	filled, err := fillDeck(ctx, folder)
	if err != nil {
		return nil, err
	}
	words, memory, err := readLog(ctx, folder, `'FINAL CLEARANCE\s+(\S+)'`, `'PEAK FORCE\s*=\s*(\S+) N'`, `'energy balance ([-0-9.eE+]+)'`)
	if err != nil {
		return nil, err
	}
	plain, _, err := readLog(ctx, folder, `'^\s*(\d+) [a-z]+\s+[0-9.]+$'`)
	if err != nil {
		return nil, err
	}
	document, err := readJSON(ctx, folder)
	if err != nil {
		return nil, err
	}
	table, err := readTable(ctx, folder)
	if err != nil {
		return nil, err
	}
	return []figure{
		{name: "memory for reading a curve of a JSON file of 60 MB", asked: "at most 3 times the file", measured: fmt.Sprintf("%.1f times", document), reached: document <= 3},
		{name: "memory for reading two columns of a table of 190 MB", asked: "at most 3 times the file", measured: fmt.Sprintf("%.1f times", table), reached: table <= 3},
		{name: "filling a deck of 5 MB with 50 places", asked: "under 150 ms", measured: fmt.Sprintf("%d ms", filled.Milliseconds()), reached: filled < 150*time.Millisecond},
		{name: "reading a log of 50 MB, 3 patterns with a word", asked: "under 300 ms", measured: fmt.Sprintf("%d ms", words.Milliseconds()), reached: words < 300*time.Millisecond},
		{name: "memory for that", asked: "under 100 MB", measured: fmt.Sprintf("%.0f MB", float64(memory)/(1<<20)), reached: memory < 2*logSize},
		{name: "reading a log of 50 MB, a pattern without a word", asked: "under 10 s", measured: fmt.Sprintf("%.1f s", plain.Seconds()), reached: plain < 10*time.Second},
	}, nil
}

// solveOnce runs a bench once in a new folder, and gives the longest time of a step whose name begins so.
func solveOnce(ctx context.Context, content bench.Content, folder, step string) (time.Duration, error) {
	b, err := read.Parse(content)
	if err != nil {
		return 0, err
	}
	s, err := steps.New(b, content, os.Getenv("PATH"))
	if err != nil {
		return 0, err
	}
	work, err := os.MkdirTemp(folder, "work-")
	if err != nil {
		return 0, err
	}
	row := b.NominalRow()
	session, err := s.Open(ctx, solver.Worker{})
	if err != nil {
		return 0, err
	}
	defer session.Close() // it has started nothing
	outputs, err := session.Solve(ctx, solver.Job{ID: "figures", Folder: work, Lookup: func(name string) bench.Value { v, _ := b.ValueIn(row, name); return v }})
	if err != nil {
		return 0, err
	}
	for _, took := range outputs.Steps {
		if strings.HasPrefix(took.Name, step) {
			return took.Elapsed, nil
		}
	}
	return 0, errors.New("the step " + step + " was not timed")
}

func fillDeck(ctx context.Context, folder string) (time.Duration, error) {
	var deck bytes.Buffer
	lines := 0
	for ; deck.Len() < deckSize; lines++ {
		fmt.Fprintf(&deck, "%8d, %12.5f, %12.5f, %12.5f\n", lines, float64(lines)*0.1, 2.5, 1e-3*float64(lines))
	}
	var put strings.Builder
	for i := range places {
		if i > 0 {
			put.WriteString(", ")
		}
		fmt.Fprintf(&put, "{lines: %d, field: 3}", 1+i*(lines/places))
	}
	file := "bench: 1\ninputs: {t: {nominal: 2.75}}\nsolver:\n  steps:\n    - fill: mesh.inp\n      put:\n        t: [" + put.String() + "]\n"
	content := bench.Content{File: "deck.bench.yaml", Files: map[string]bench.File{"deck.bench.yaml": {Text: []byte(file)}, "mesh.inp": {Text: deck.Bytes()}}}
	return solveOnce(ctx, content, folder, "fill")
}

// readLog reads a log by patterns; memory is what it took at most, beside what was there before.
func readLog(ctx context.Context, folder string, patterns ...string) (took time.Duration, memory uint64, err error) {
	outputs := ""
	for i, pattern := range patterns {
		outputs += fmt.Sprintf("  o%d: {file: run.log, match: %s}\n", i, pattern)
	}
	took, memory, _, err = readFile(ctx, folder, "run.log", outputs, func(text *bufio.Writer) {
		for i, size := 0, 0; size < logSize; i++ {
			n, _ := fmt.Fprintf(text, "%8d iteration  residual %.6e  step %.4f  contact pairs %d\n", i, 1/float64(i+1), float64(i)*0.01, i%97) // an error is kept until it is flushed
			size += n
		}
		fmt.Fprint(text, "FINAL CLEARANCE   2.25\nPEAK FORCE = 1800.5 N\nenergy balance -1.2e-3\n   12 ready   7.5\n")
	})
	return took, memory, err
}

// readJSON reads a value and a curve of a JSON file, readTable two columns of a table in a text. The share is the memory that takes
// at most, of the size of the file.
func readJSON(ctx context.Context, folder string) (share float64, err error) {
	_, memory, size, err := readFile(ctx, folder, "out.json", "  most: {file: out.json, pointer: /peak}\n  way: {file: out.json, pointer: /history, curve: {x: t, y: x}}\n", func(text *bufio.Writer) {
		fmt.Fprint(text, `{"history": [`)
		for i := range 800_000 {
			fmt.Fprintf(text, `{"t": %.5f, "x": %.9f, "v": %.9f, "state": "%s"},`, float64(i)*1e-5, 1/float64(i+1), float64(i)*0.37, "sliding")
		}
		fmt.Fprint(text, `{"t": 9, "x": 1, "v": 0, "state": "rest"}], "peak": 3.5}`)
	})
	return float64(memory) / float64(size), err
}

func readTable(ctx context.Context, folder string) (share float64, err error) {
	_, memory, size, err := readFile(ctx, folder, "frame.dat", "  tip: {file: frame.dat, table: {after: displacements, field: 4}, take: trough}\n  sum: {file: frame.dat, table: {after: displacements, field: 3}, take: total}\n", func(text *bufio.Writer) {
		fmt.Fprint(text, "displacements\n\n")
		for i := range 3_500_000 {
			fmt.Fprintf(text, "%10d %14.6E %14.6E %14.6E\n", i, 1/float64(i+1), float64(i)*0.37, -float64(i%1000))
		}
	})
	return float64(memory) / float64(size), err
}

// readFile reads outputs from a file that is written for that.
func readFile(ctx context.Context, folder, name, outputs string, write func(text *bufio.Writer)) (took time.Duration, memory uint64, size int64, err error) {
	path := filepath.Join(folder, name)
	file, err := os.Create(path)
	if err != nil {
		return 0, 0, 0, err
	}
	text := bufio.NewWriter(file)
	write(text)
	if err = errors.Join(text.Flush(), file.Close()); err != nil {
		return 0, 0, 0, err
	}
	info, err := os.Stat(path)
	if err != nil {
		return 0, 0, 0, err
	}
	bare := fmt.Sprintf("bench: 1\ninputs: {t: {nominal: 2.75}}\nsolver:\n  steps:\n    - run: [ln, %s, %s]\noutputs:\n%s", path, name, outputs)
	content := bench.Content{File: "log.bench.yaml", Files: map[string]bench.File{"log.bench.yaml": {Text: []byte(bare)}}}
	runtime.GC()
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	most := make(chan uint64)
	done := make(chan struct{})
	go func() { most <- watchMemory(done) }()
	took, err = solveOnce(ctx, content, folder, "read outputs")
	close(done)
	highest := <-most
	return took, highest - min(highest, before.HeapAlloc), info.Size(), errors.Join(err, os.Remove(path))
}

// watchMemory gives the most that the heap held until done.
func watchMemory(done <-chan struct{}) (most uint64) {
	for {
		var now runtime.MemStats
		runtime.ReadMemStats(&now)
		most = max(most, now.HeapAlloc)
		select {
		case <-done:
			return most
		case <-time.After(5 * time.Millisecond):
		}
	}
}
