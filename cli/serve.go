package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/client"
	"ropebench/demo"
)

func (a *App) serveCommand() *cobra.Command {
	o := ServeOptions{}
	c := &cobra.Command{
		Use: "serve", Short: "Run the service, for clients and the web console",
		RunE: func(c *cobra.Command, _ []string) error {
			if o.Slots < 0 {
				return wrongUse("--slots must not be negative")
			}
			o.Data = a.data
			o.Ready = func(url, link string) {
				if a.json {
					_ = a.machine(map[string]string{"url": url, "link": link}) // a closed stdout does not end the service
				}
				a.say("Rope Bench %s serves %s at %s", a.Version, a.data, url)
				if !o.Companion {
					a.say("Open the console: %s  (this link works once; `ropebench link` makes another)", link)
				}
			}
			return a.Serve(c.Context(), o)
		},
	}
	c.Flags().StringVar(&o.Listen, "listen", "127.0.0.1:0", "address and port to listen on; port 0: a free one")
	c.Flags().BoolVar(&o.Insecure, "insecure", false, "listen beyond this machine, though nothing is encrypted")
	c.Flags().IntVar(&o.Slots, "slots", 0, "solvers at work at a time; 0: the number of processors")
	c.Flags().BoolVar(&o.Companion, "companion", false, "end when the last client has left")
	return c
}

func (a *App) linkCommand() *cobra.Command {
	return &cobra.Command{
		Use: "link", Short: "Print an address that opens the console of the running service once",
		RunE: func(c *cobra.Command, _ []string) error {
			data, err := filepath.Abs(a.data)
			if err != nil {
				return err
			}
			found, err := client.Find(data)
			if errors.Is(err, client.ErrNoService) {
				return fmt.Errorf("no service is running on %s: start one with `ropebench serve`", data)
			}
			if err != nil {
				return err
			}
			defer found.Close()
			link, err := found.Link(c.Context())
			if err != nil {
				return err
			}
			if a.json {
				return a.machine(map[string]string{"link": link})
			}
			a.say("%s", link)
			return nil
		},
	}
}

func (a *App) demoCommand() *cobra.Command {
	var once bool
	var listen string
	c := &cobra.Command{
		Use: "demo", Short: "Show the arrest brake of a zip line: in the console, or with --once in the terminal",
		RunE: func(c *cobra.Command, _ []string) error {
			folder, err := os.MkdirTemp("", "ropebench-demo-")
			if err != nil {
				return err
			}
			if !c.Flags().Changed("data") {
				a.data = filepath.Join(folder, "data")
			}
			file, err := demo.Write(filepath.Join(folder, "zipline"))
			if err != nil {
				return err
			}
			err = a.demo(c.Context(), file, listen, once)
			if once {
				err = errors.Join(err, os.RemoveAll(folder))
			}
			return err
		},
	}
	c.Flags().BoolVar(&once, "once", false, "go through the whole example in the terminal, then end")
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:0", "address and port of the console; port 0: a free one")
	return c
}

// demo serves the demo bench, and goes through it in the terminal or shows the console.
func (a *App) demo(ctx context.Context, file, listen string, once bool) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ready, served := make(chan string, 1), make(chan error, 1)
	go func() {
		served <- a.Serve(ctx, ServeOptions{Data: a.data, Listen: listen, Ready: func(_, link string) { ready <- link }})
	}()
	var link string
	select {
	case link = <-ready:
	case err := <-served:
		return err
	}
	s, err := a.connect(ctx)
	if err == nil {
		if once {
			err = a.example(ctx, s, file)
		} else {
			err = a.prepareDemo(ctx, s, file, link)
		}
		s.close()
	}
	if err == nil && !once {
		return <-served // until Ctrl-C
	}
	cancel()
	return errors.Join(err, <-served)
}

// prepareDemo loads the bench and makes the first evaluations, so that the console has something to show.
func (a *App) prepareDemo(ctx context.Context, s *session, file, link string) error {
	b, err := s.PutBench(ctx, "zipline", file)
	if err != nil {
		return err
	}
	for _, study := range []string{"try", "which", "look"} {
		run, err := s.Start(ctx, b.Name, api.Order{Study: study})
		if err != nil {
			return err
		}
		if _, err := a.follow(ctx, s, b, run); err != nil {
			return err
		}
	}
	a.say("The demo bench is %s", file)
	a.say("Its records are in  %s", a.data)
	a.say("Open the console:   %s", link)
	a.say("End with Ctrl-C.")
	return nil
}
