package service_test

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/result"
)

// byHand tries a design.
func (b *bed) byHand(t *testing.T, path, body string, into any) (status int, text string) {
	status, text = b.ask(t, "POST", "/v1/benches/pulley/"+path, body)
	if status == 200 {
		require.NoError(t, json.Unmarshal([]byte(text), into))
	}
	return status, text
}

func TestDesignsAreTriedByHand(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	_, err := c.PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	var tried api.TriedByHand
	status, text := b.byHand(t, "what-if", `{"design": {"radius": 0.1}}`, &tried)
	require.Equal(t, 200, status, text)
	assert.Equal(t, map[string]float64{"torque": 80, "mass": 0.4000000000000001}, tried.Values)
	assert.Equal(t, "missed", string(tried.Requirements["R1"].Verdict))
	assert.InDelta(t, -20, *tried.Requirements["R1"].Margin, 1e-12)
	assert.False(t, tried.Feasible)
	runs, err := c.Runs(t.Context(), "pulley", 10)
	require.NoError(t, err)
	assert.Empty(t, runs, "nothing is written down")

	var turns result.Turns
	status, text = b.byHand(t, "turns", `{"design": {"radius": 0.1}, "requirement": ""}`, &turns)
	require.Equal(t, 200, status, text)
	assert.Equal(t, "R1", turns.Requirement)
	require.Len(t, turns.Turns, 1, "load is held")
	assert.Equal(t, "radius by +0.0045 m gives R1 about 3.6", turns.Turns[0].Says)
	assert.InDelta(t, 3.6, turns.Turns[0].Margins["R1"], 1e-9)

	for body, says := range map[string]string{
		`{"design": {"radus": 0.1}}`:       "did you mean radius?",
		`{"design": {"radius": "wide"}}`:   "wide",
		`{"design": {}, "requirement": 1}`: "cannot be read",
	} {
		status, text := b.byHand(t, "what-if", body, nil)
		assert.Equal(t, 400, status, text)
		assert.Contains(t, text, says)
	}
	status, text = b.byHand(t, "turns", `{"design": {}, "requirement": "R9"}`, nil)
	assert.Equal(t, 400, status)
	assert.Contains(t, text, "there is no requirement R9")

	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(pulley, "40*radius^2", "50*radius^2", 1)), 0o644))
	status, text = b.byHand(t, "what-if", `{"design": {"radius": 0.1}}`, &tried)
	require.Equal(t, 200, status, text)
	assert.InDelta(t, 0.5, tried.Values["mass"], 1e-12, "a model that has changed is read anew")
	assert.Equal(t, 2, tried.Revision)
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(pulley, "40*radius^2", "40*radus^2", 1)), 0o644))
	status, text = b.byHand(t, "what-if", `{"design": {"radius": 0.1}}`, nil)
	assert.Equal(t, 422, status, "a stale model is not asked")
	assert.Contains(t, text, "radus")
}

// Many sliders at once, while the bench changes below them.
func TestManyTryByHandAtOnce(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	_, err := c.PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	var wait sync.WaitGroup
	for i := range 6 {
		wait.Go(func() {
			for k := range 12 {
				if i == 0 {
					assert.NoError(t, os.WriteFile(b.file+"~", []byte(strings.Replace(pulley, "40*", fmt.Sprintf("%d*", 40+k), 1)), 0o644))
					assert.NoError(t, os.Rename(b.file+"~", b.file), "as editors do")
				}
				var tried api.TriedByHand
				radius := 0.1 + 0.01*float64(i) + 0.001*float64(k)
				status, text := b.byHand(t, "what-if", fmt.Sprintf(`{"design": {"radius": %g}}`, radius), &tried)
				if assert.Equal(t, 200, status, text) {
					assert.InDelta(t, 800*radius, tried.Values["torque"], 1e-9)
				}
			}
		})
	}
	wait.Wait()
}
