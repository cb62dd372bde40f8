package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"ropebench/client"
)

const starts = 5

// idle measures how soon a service answers, and how much memory it holds when it does nothing.
func idle(ctx context.Context, programs, folder string) ([]figure, error) {
	var times []time.Duration
	var resident float64
	for i := range starts {
		took, kilobytes, err := startOnce(ctx, programs, filepath.Join(folder, strconv.Itoa(i)))
		if err != nil {
			return nil, err
		}
		times, resident = append(times, took), max(resident, kilobytes)
	}
	slices.Sort(times)
	median := times[starts/2]
	return []figure{
		{name: "service ready to answer, on a new data folder", asked: "under 300 ms", measured: fmt.Sprintf("%d ms (median of %d)", median.Milliseconds(), starts), reached: median < 300*time.Millisecond},
		{name: "service idle, resident", asked: "below 60 MB", measured: fmt.Sprintf("%.0f MB", resident/1024), reached: resident < 60*1024},
	}, nil
}

func startOnce(ctx context.Context, programs, data string) (took time.Duration, kilobytes float64, err error) {
	began := time.Now()
	service := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "serve", "--data", data)
	if err := service.Start(); err != nil {
		return 0, 0, err
	}
	defer func() { _ = service.Process.Signal(os.Interrupt); _ = service.Wait() }() // measured already
	limited, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	c, err := client.WaitUntilReady(limited, data)
	if err != nil {
		return 0, 0, err
	}
	defer c.Close()
	took = time.Since(began)
	time.Sleep(500 * time.Millisecond)
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", service.Process.Pid))
	if err != nil {
		return 0, 0, err
	}
	for _, line := range strings.Split(string(status), "\n") {
		if rest, ok := strings.CutPrefix(line, "VmRSS:"); ok {
			kilobytes, err = strconv.ParseFloat(strings.Fields(rest)[0], 64)
		}
	}
	return took, kilobytes, err
}
