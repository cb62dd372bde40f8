package client

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ropebench/api"
)

// ErrNoService is returned by Find where no service owns the data folder.
var ErrNoService = errors.New("no service is running on this data folder")

// Find returns a client of the service that owns a data folder, without asking it anything. What a service announced
// that is no longer there does not count: the lock of the folder tells.
func Find(data string) (*Client, error) {
	text, err := os.ReadFile(filepath.Join(data, api.AnnouncementFile))
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNoService
	}
	if err != nil {
		return nil, err
	}
	var announced api.Announcement
	if err := json.Unmarshal(text, &announced); err != nil {
		return nil, fmt.Errorf("%s in %s cannot be read: %w; it is written anew when a service starts", api.AnnouncementFile, data, err)
	}
	owned, err := api.Owned(data)
	if err != nil {
		return nil, fmt.Errorf("the lock of %s cannot be looked at: %w", data, err)
	}
	if !owned {
		return nil, ErrNoService
	}
	token, err := os.ReadFile(filepath.Join(data, api.TokenFile))
	if err != nil {
		return nil, fmt.Errorf("the token of the service cannot be read: %w", err)
	}
	return New(announced.URL, strings.TrimSpace(string(token))), nil
}

// WaitUntilReady asks for the health of the service that owns a data folder until it answers.
func WaitUntilReady(ctx context.Context, data string) (*Client, error) {
	for {
		c, err := Find(data)
		if err == nil {
			if _, err = c.Health(ctx); err == nil {
				return c, nil
			}
			c.Close()
		}
		select {
		case <-ctx.Done():
			return nil, fmt.Errorf("the service did not get ready: %w", errors.Join(ctx.Err(), err))
		case <-time.After(10 * time.Millisecond):
		}
	}
}
