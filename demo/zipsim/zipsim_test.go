package main

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// deck is the nominal brake with some of its numbers changed: name, number, name, number, ...
func deck(changes ...string) string {
	numbers := map[string]string{"rider mass": "95", "trolley mass": "9.5", "arrival speed": "15", "gravity": "9.81", "cable slope": "1.5",
		"catch distance": "9", "spring rate": "1.2", "springs": "3", "buffer length": "6", "pad force": "4", "pad friction": "0.36", "reeving": "3", "rope diameter": "10"}
	for i := 0; i < len(changes); i += 2 {
		numbers[changes[i]] = changes[i+1]
	}
	var text strings.Builder
	text.WriteString("! a comment\n\n")
	for name, number := range numbers {
		fmt.Fprintf(&text, "%s = %s ! more\n", name, number)
	}
	return text.String()
}

func simulated(t *testing.T, changes ...string) (*result, []row) {
	b, err := readDeck(deck(changes...))
	require.NoError(t, err)
	r, trace, err := b.simulate()
	require.NoError(t, err)
	return r, trace
}

func TestTheNominalBrakeIsTooHard(t *testing.T) {
	t.Parallel()
	r, trace := simulated(t)
	assert.InDelta(t, 2.6, r.PeakG, 0.05)
	assert.Greater(t, r.RollBack, 2.0)
	assert.Less(t, r.RopeSafety, 5.0)
	assert.InDelta(t, 9, r.StopDistance+r.Gap, 1e-9)
	assert.Less(t, r.SpringTravel, r.SpringsSolidAt)
	assert.InDelta(t, r.PeakRopeForce*r.RopeSafety, ropeStrength*0.01*0.01*endStrength, 1e-3)
	assert.InDelta(t, 15*104.5/110.5, trace[0].speed, 1e-9, "momentum is kept at the catch")
}

// What the trolley loses in energy is the work of all forces on it: the trace must agree with itself.
func TestEnergyIsBalanced(t *testing.T) {
	t.Parallel()
	b, err := readDeck(deck())
	require.NoError(t, err)
	_, trace, err := b.simulate()
	require.NoError(t, err)
	work, last := 0.0, trace[0]
	for _, at := range trace[1:] {
		if at.speed < 0 {
			break
		}
		work += (at.position - last.position) * (at.deceleration + last.deceleration) / 2 * b.gravity * b.moving()
		last = at
	}
	lost := b.moving() / 2 * (trace[0].speed*trace[0].speed - last.speed*last.speed)
	assert.InDelta(t, 1, work/lost, 0.01)
}

func TestPhysicsPointsTheRightWay(t *testing.T) {
	t.Parallel()
	base, _ := simulated(t)
	heavy, _ := simulated(t, "rider mass", "110")
	assert.Greater(t, heavy.StopDistance, base.StopDistance)
	stiff, _ := simulated(t, "spring rate", "2")
	assert.Greater(t, stiff.PeakG, base.PeakG)
	assert.Less(t, stiff.StopDistance, base.StopDistance)
	rubbed, _ := simulated(t, "pad force", "8")
	assert.Less(t, rubbed.RollBack, base.RollBack)
	thick, _ := simulated(t, "rope diameter", "12")
	assert.Greater(t, thick.RopeSafety, base.RopeSafety)
	assert.Greater(t, thick.Cost, base.Cost)
	long, _ := simulated(t, "buffer length", "8")
	assert.InDelta(t, 2*74, long.Cost-base.Cost, 1e-6)
	assert.InDelta(t, base.PeakG, long.PeakG, 1e-9, "the track alone changes no force")
}

func TestBrakesThatFail(t *testing.T) {
	t.Parallel()
	for says, changes := range map[string][]string{
		"the springs go solid":   {"springs", "1", "spring rate", "0.4", "pad force", "0"},
		"the rope breaks":        {"rope diameter", "3"},
		"runs into the platform": {"catch distance", "3"},
	} {
		b, err := readDeck(deck(changes...))
		require.NoError(t, err)
		_, _, err = b.simulate()
		var broken failure
		require.ErrorAs(t, err, &broken, says)
		assert.ErrorContains(t, err, says)
	}
}

func TestDecksThatCannotBeRead(t *testing.T) {
	t.Parallel()
	for says, text := range map[string]string{
		"springs: 2.5 is not a whole number":      deck("springs", "2.5"),
		"rider mass: 500 is outside of 20 to 200": deck("rider mass", "500"),
		`pad force: "much" is not a number`:       deck("pad force", "much"),
		"gravity: NaN is outside":                 deck("gravity", "NaN"),
		`"wind" is not known`:                     deck() + "wind = 3\n",
		`want "name = number"`:                    "rider mass 80\n",
		"trolley mass is missing":                 "rider mass = 80\n",
	} {
		_, err := readDeck(text)
		assert.ErrorContains(t, err, says)
	}
}

func TestResultsAreWrittenThreeWays(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.WriteFile("brake.deck", []byte(deck()), 0o600))
	require.NoError(t, run("brake.deck"))
	text, err := os.ReadFile("result.json")
	require.NoError(t, err)
	var r result
	require.NoError(t, json.Unmarshal(text, &r))
	log, err := os.ReadFile("run.log")
	require.NoError(t, err)
	assert.Contains(t, string(log), fmt.Sprintf("CLEAR DISTANCE           %8.3f M", r.Gap))
	assert.Contains(t, string(log), "NORMAL END")
	table, err := os.ReadFile("trace.csv")
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(table)), "\n")
	assert.Equal(t, "time,position,speed,decel,rope_force", lines[1])
	assert.Greater(t, len(lines), 100)
	assert.ErrorIs(t, run("none.deck"), os.ErrNotExist)
}

// Half the time step must give the same brake: the numbers do not hang on the integration.
func TestTheTimeStepIsSmallEnough(t *testing.T) {
	t.Parallel()
	b, err := readDeck(deck())
	require.NoError(t, err)
	peak := func(h float64) float64 {
		s, most := state{v: b.arrivalSpeed * 104.5 / b.moving()}, 0.0
		for range int(1.5 / h) {
			most = math.Max(most, -b.rates(s).v/b.gravity)
			s = b.step(s, h)
		}
		return most
	}
	assert.InEpsilon(t, peak(timeStep), peak(timeStep/2), 1e-4)
}
