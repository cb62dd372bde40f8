// Zipsim simulates the arrest brake at the lower end of a zip line: a trolley with its rider catches a brake block,
// and a rope over a pulley pulls a pack of springs and a friction pad until the trolley stands.
//
//	zipsim [-slow 2s] brake.deck
//	zipsim -version
//
// It writes result.json, trace.csv and run.log into the working folder. It ends with code 2 where the deck cannot be
// read, and with code 3 where the brake fails.
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"time"
)

func main() {
	slow := flag.Duration("slow", 0, "wait this long first, to try out long runs")
	version := flag.Bool("version", false, "say which simulator this is")
	flag.Parse()
	if *version {
		fmt.Println("zipsim 1.0, the arrest brake of a zip line")
		return
	}
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: zipsim [-slow 2s] DECK")
		os.Exit(2)
	}
	time.Sleep(*slow)
	if err := run(flag.Arg(0)); err != nil {
		fmt.Fprintf(os.Stderr, "zipsim: %s\n", err)
		var broken failure
		if errors.As(err, &broken) {
			os.Exit(3)
		}
		os.Exit(2)
	}
}

func run(deck string) error {
	text, err := os.ReadFile(deck)
	if err != nil {
		return err
	}
	b, err := readDeck(string(text))
	if err != nil {
		return fmt.Errorf("%s: %w", deck, err)
	}
	result, trace, err := b.simulate()
	if err != nil {
		return err
	}
	return write(result, trace)
}
