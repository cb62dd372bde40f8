// Ropebench is the service, its command line and its console in one program.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"ropebench/cli"
	"ropebench/console"
	"ropebench/service"
)

// version is set by the linker.
var version = "0.1.0"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	app := &cli.App{Version: version, Out: os.Stdout, Err: os.Stderr, Serve: serve}
	code := app.Run(ctx, os.Args[1:])
	stop()
	os.Exit(code)
}

// serve runs a service until ctx is done.
func serve(ctx context.Context, o cli.ServeOptions) error {
	files, err := console.Files()
	if err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	s, err := service.Start(service.Config{Data: o.Data, Address: o.Listen, Insecure: o.Insecure, Slots: o.Slots, Path: searchPath(), Version: version,
		Companion: o.Companion, Console: files, Log: log})
	if err != nil {
		return err
	}
	o.Ready(s.URL(), s.Link())
	return s.Wait(ctx)
}

// searchPath is the PATH of the steps: the folder of this program first, so that programs that come with it are found.
func searchPath() string {
	path := os.Getenv("PATH")
	program, err := os.Executable()
	if err != nil {
		fmt.Fprintln(os.Stderr, "ropebench: its own folder is not known:", err)
		return path
	}
	return filepath.Dir(program) + string(os.PathListSeparator) + path
}
