package service

import (
	"bufio"
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheHubKeepsTheLatestEvents(t *testing.T) {
	h := newHub()
	for i := range 3 {
		h.publish("run", i)
	}
	events, complete, _ := h.since(1)
	assert.True(t, complete)
	require.Len(t, events, 2)
	assert.Equal(t, "1", string(events[0].data))
	for range 5 * eventsKept {
		h.publish("run", "more")
	}
	assert.LessOrEqual(t, len(h.events), 2*eventsKept)
	_, complete, _ = h.since(1)
	assert.False(t, complete, "some are gone")
	events, complete, _ = h.since(h.newest())
	assert.True(t, complete)
	assert.Empty(t, events)
}

func TestListenersAreWoken(t *testing.T) {
	h := newHub()
	_, _, news := h.since(0)
	select {
	case <-news:
		t.Fatal("there is no news yet")
	default:
	}
	h.publish("bench", "a")
	select {
	case <-news:
	case <-time.After(time.Second):
		t.Fatal("nobody was woken")
	}
}

func TestAStreamEndsWithTheService(t *testing.T) {
	h, quit := newHub(), make(chan struct{})
	var text bytes.Buffer
	done := make(chan struct{})
	h.publish("run", 1)
	go func() {
		defer close(done)
		h.stream(bufio.NewWriter(&text), 0, true, quit)
	}()
	time.Sleep(50 * time.Millisecond)
	close(quit)
	<-done
	assert.True(t, strings.HasPrefix(text.String(), "retry: 1000\n\nevent: again\ndata: {}\n\n"), text.String())
	assert.Contains(t, text.String(), "id: "+h.boot+".1\nevent: run\ndata: 1\n\n")
}

func TestACompanionWaitsForItsFirstClient(t *testing.T) {
	h, quit := newHub(), make(chan struct{})
	defer close(quit)
	h.listen(1)
	left := h.abandoned(quit)
	select {
	case <-left:
		t.Fatal("a client is there")
	case <-time.After(leavingTime + 200*time.Millisecond):
	}
	h.listen(-1)
	select {
	case <-left:
	case <-time.After(leavingTime + time.Second):
		t.Fatal("the last client has left")
	}
}

func TestLinksAndCookiesEnd(t *testing.T) {
	var l links
	key := l.make()
	assert.False(t, l.use(key, time.Now().Add(linkLasts+time.Minute)), "too old")
	assert.False(t, l.use(key, time.Now()), "used")
	assert.True(t, l.use(l.make(), time.Now()))
	assert.False(t, l.use("", time.Now()))
	s := &Service{folder: &dataFolder{token: "a token"}}
	cookie := s.sign(time.Now().Add(time.Hour))
	assert.True(t, s.goodCookie(cookie, time.Now()))
	assert.False(t, s.goodCookie(cookie, time.Now().Add(2*time.Hour)), "too old")
	assert.False(t, s.goodCookie(cookie+"0", time.Now()))
	other := &Service{folder: &dataFolder{token: "another"}}
	assert.False(t, other.goodCookie(cookie, time.Now()), "signed with another token")
}

func TestTheTokenIsMadeOnceAndRepaired(t *testing.T) {
	data := t.TempDir()
	first, err := openDataFolder(data)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(first.token), 40)
	require.NoError(t, first.close())
	again, err := openDataFolder(data)
	require.NoError(t, err)
	assert.Equal(t, first.token, again.token)
	assert.Equal(t, first.mark(), again.mark())
	require.NoError(t, again.close())
}
