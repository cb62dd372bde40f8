package service

import (
	"bufio"
	"io"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheHubKeepsTheLatestEvents(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
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
	default:
		t.Fatal("nobody was woken")
	}
}

func TestAStreamEndsWithTheService(t *testing.T) {
	t.Parallel()
	h, quit := newHub(), make(chan struct{})
	read, write := io.Pipe()
	h.publish("run", 1)
	go func() {
		h.stream(bufio.NewWriter(write), 0, true, quit)
		write.Close()
	}()
	first := "retry: 1000\n\nevent: again\ndata: {}\n\n" + "id: " + h.boot + ".1\nevent: run\ndata: 1\n\n"
	text := make([]byte, len(first))
	_, err := io.ReadFull(read, text)
	require.NoError(t, err)
	assert.Equal(t, first, string(text))
	close(quit)
	rest, err := io.ReadAll(read)
	require.NoError(t, err)
	assert.Empty(t, rest)
}

func TestACompanionWaitsForItsFirstClient(t *testing.T) {
	synctest.Test(t, func(t *testing.T) { // its clock is not that of the wall: a sleep lasts nothing
		h, quit := newHub(), make(chan struct{})
		defer close(quit)
		h.listen(2)
		left := h.abandoned(quit)
		stays := func(while time.Duration) {
			time.Sleep(while)
			synctest.Wait()
			select {
			case <-left:
				t.Fatal("a client is there, or was just now")
			default:
			}
		}
		stays(100 * leavingTime)
		h.listen(-1)
		stays(100 * leavingTime)
		h.listen(-1)
		stays(leavingTime / 2)
		h.listen(1)
		stays(100 * leavingTime)
		h.listen(-1)
		<-left
	})
}

func TestLinksAndCookiesEnd(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
	data := t.TempDir()
	first, err := openDataFolder(data)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(first.token), 40)
	require.NoError(t, first.close())
	again, err := openDataFolder(data)
	require.NoError(t, err)
	assert.Equal(t, first.token, again.token)
	assert.Equal(t, first.idPrefix(), again.idPrefix())
	require.NoError(t, again.close())
}
