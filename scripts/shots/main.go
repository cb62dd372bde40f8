// Shots takes pictures of pages of the console: shots LINK PLACE=FILE.png ... opens the one-time link, then each place. PLACE#TITLE scrolls to
// the panel of that title.
package main

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/chromedp/chromedp"
)

const (
	width, height = 1280, 800
	settle        = 2 * time.Second // for figures to be drawn
)

func main() {
	if len(os.Args) < 3 {
		fmt.Fprintln(os.Stderr, "usage: shots LINK PLACE=FILE.png ...")
		os.Exit(2)
	}
	if err := take(os.Args[1], os.Args[2:]); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func take(link string, shots []string) error {
	base, err := url.Parse(link)
	if err != nil {
		return err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"), chromedp.WindowSize(width, height))
	allocator, endAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	defer endAllocator()
	ctx, endBrowser := chromedp.NewContext(allocator)
	defer endBrowser()
	size := chromedp.EmulateViewport(width, height)
	if err := chromedp.Do(ctx, size, chromedp.Navigate(link), chromedp.Sleep(settle)); err != nil {
		return err
	}
	for _, shot := range shots {
		at := strings.LastIndex(shot, "=") // an address may have others
		if at < 0 {
			return fmt.Errorf("%s names no file: PLACE=FILE.png", shot)
		}
		place, file := shot[:at], shot[at+1:]
		page, title, _ := strings.Cut(place, "#")
		if err := chromedp.Do(ctx, chromedp.Navigate(base.Scheme+"://"+base.Host+page), chromedp.Sleep(settle)); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		if err := finished(ctx); err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		if title != "" {
			scroll := fmt.Sprintf(`[...document.querySelectorAll('.panel-title')].find((e) => e.textContent.startsWith(%q)).scrollIntoView()`, title)
			if err := chromedp.Do(ctx, chromedp.Sleep(settle)); err != nil { // what stands below makes room for it
				return fmt.Errorf("%s: %w", place, err)
			}
			if _, err := chromedp.Run(ctx, chromedp.Evaluate[bool](scroll+"; true")); err != nil {
				return fmt.Errorf("%s: %w", place, err)
			}
			if err := chromedp.Do(ctx, chromedp.Sleep(settle)); err != nil {
				return fmt.Errorf("%s: %w", place, err)
			}
		}
		picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		if err != nil {
			return fmt.Errorf("%s: %w", place, err)
		}
		if err := os.WriteFile(file, picture, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// finished waits until the page fits no surfaces any more.
func finished(ctx context.Context) error {
	for range 60 {
		waits, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`document.body.innerText.includes('Response surfaces are fitted to')`))
		if err != nil || !waits {
			return err
		}
		if err := chromedp.Do(ctx, chromedp.Sleep(settle)); err != nil {
			return err
		}
	}
	return errors.New("its surfaces are still fitted after two minutes")
}
