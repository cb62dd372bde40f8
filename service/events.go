package service

import (
	"bufio"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"
)

const (
	eventsKept  = 1000 // a client that missed more asks anew
	heartbeat   = 500 * time.Millisecond
	leavingTime = 700 * time.Millisecond // without any client, until a companion ends
	arrivalTime = 15 * time.Second       // for its first client to come
)

// An event is sent to everyone who listens.
type event struct {
	id   int
	name string
	data []byte
}

// A hub keeps the latest events and wakes those who listen.
type hub struct {
	boot string // tells the ids of this service from those of an earlier one

	mutex     sync.Mutex // guards what follows
	events    []event
	last      int           // id of the newest event
	news      chan struct{} // closed when there is another
	listeners int
	changed   chan struct{} // closed when the number of listeners changes
}

func newHub() *hub {
	return &hub{boot: strconv.FormatInt(time.Now().UnixNano(), 36), news: make(chan struct{}), changed: make(chan struct{})}
}

func (h *hub) publish(name string, value any) {
	data, err := json.Marshal(value)
	if err != nil {
		return // values of our own types always encode
	}
	h.mutex.Lock()
	defer h.mutex.Unlock()
	h.last++
	h.events = append(h.events, event{id: h.last, name: name, data: data})
	if len(h.events) > 2*eventsKept {
		h.events = append([]event(nil), h.events[len(h.events)-eventsKept:]...)
	}
	close(h.news)
	h.news = make(chan struct{})
}

// since returns the events behind an id, and a channel that is closed when there are more. complete is false where
// some are gone.
func (h *hub) since(id int) (events []event, complete bool, news <-chan struct{}) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	for i, e := range h.events {
		if e.id > id {
			return h.events[i:len(h.events):len(h.events)], e.id == id+1, h.news
		}
	}
	return nil, id <= h.last, h.news
}

func (h *hub) listen(change int) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	h.listeners += change
	close(h.changed)
	h.changed = make(chan struct{})
}

func (h *hub) count() (int, <-chan struct{}) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	return h.listeners, h.changed
}

// abandoned is closed when the last listener has left, or none has come.
func (h *hub) abandoned(quit <-chan struct{}) <-chan struct{} {
	left := make(chan struct{})
	go func() {
		wait := arrivalTime
		for {
			count, changed := h.count()
			var deadline <-chan time.Time
			if count == 0 {
				deadline = time.After(wait)
			} else {
				wait = leavingTime
			}
			select {
			case <-quit:
				return
			case <-deadline:
				close(left)
				return
			case <-changed:
			}
		}
	}()
	return left
}

// listenToEvents streams events to one client, from now on or from behind the event that it names.
func (s *Service) listenToEvents(c fiber.Ctx) error {
	from := s.hub.newest()
	again := false
	if named := c.Get("Last-Event-ID"); named != "" {
		boot, id, _ := strings.Cut(named, ".")
		number, err := strconv.Atoi(id)
		if err == nil && boot == s.hub.boot {
			from = number
		} else {
			again = true
		}
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	hub, quit := s.hub, s.quit
	return c.SendStreamWriter(func(w *bufio.Writer) {
		hub.listen(1)
		defer hub.listen(-1)
		hub.stream(w, from, again, quit)
	})
}

func (h *hub) newest() int {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	return h.last
}

// stream writes until the client has left or the service ends. A client that left is noticed by a failed flush only,
// so that something is written all the time.
func (h *hub) stream(w *bufio.Writer, from int, again bool, quit <-chan struct{}) {
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	fmt.Fprint(w, "retry: 1000\n\n")
	for {
		events, complete, news := h.since(from)
		if again || !complete {
			fmt.Fprint(w, "event: again\ndata: {}\n\n")
			again = false
		}
		for _, e := range events {
			fmt.Fprintf(w, "id: %s.%d\nevent: %s\ndata: %s\n\n", h.boot, e.id, e.name, e.data)
			from = e.id
		}
		if !complete && len(events) == 0 {
			from = h.newest()
		}
		if w.Flush() != nil {
			return
		}
		select {
		case <-quit:
			return
		case <-news:
		case <-beat.C:
			fmt.Fprint(w, ": here\n\n")
		}
	}
}
