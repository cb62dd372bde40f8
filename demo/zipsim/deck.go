package main

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// A brake is what a deck describes, in SI units.
type brake struct {
	riderMass     float64 // kg, with harness
	trolleyMass   float64 // kg
	arrivalSpeed  float64 // m/s
	gravity       float64 // m/s^2
	slope         float64 // of the cable at the block, positive downwards
	catchDistance float64 // m, from the block to the platform
	springRate    float64 // N/m, of one spring
	springs       float64 // side by side
	bufferLength  float64 // m, of the track in which the springs work
	padForce      float64 // N, normal force on the friction pad
	padFriction   float64
	reeving       float64 // rope travel for each travel of the springs
	ropeDiameter  float64 // m
}

// An entry of the deck: a name, the place of its number, the factor to SI units, and the range that makes sense.
type entry struct {
	name         string
	into         func(*brake) *float64
	factor       float64
	least, most  float64
	wholeNumbers bool
}

var entries = []entry{
	{name: "rider mass", into: func(b *brake) *float64 { return &b.riderMass }, factor: 1, least: 20, most: 200},
	{name: "trolley mass", into: func(b *brake) *float64 { return &b.trolleyMass }, factor: 1, least: 1, most: 50},
	{name: "arrival speed", into: func(b *brake) *float64 { return &b.arrivalSpeed }, factor: 1, least: 0.5, most: 30},
	{name: "gravity", into: func(b *brake) *float64 { return &b.gravity }, factor: 1, least: 9, most: 10},
	{name: "cable slope", into: func(b *brake) *float64 { return &b.slope }, factor: 0.01, least: -20, most: 20},
	{name: "catch distance", into: func(b *brake) *float64 { return &b.catchDistance }, factor: 1, least: 1, most: 60},
	{name: "spring rate", into: func(b *brake) *float64 { return &b.springRate }, factor: 1000, least: 0.01, most: 100},
	{name: "springs", into: func(b *brake) *float64 { return &b.springs }, factor: 1, least: 1, most: 12, wholeNumbers: true},
	{name: "buffer length", into: func(b *brake) *float64 { return &b.bufferLength }, factor: 1, least: 0.5, most: 40},
	{name: "pad force", into: func(b *brake) *float64 { return &b.padForce }, factor: 1000, least: 0, most: 100},
	{name: "pad friction", into: func(b *brake) *float64 { return &b.padFriction }, factor: 1, least: 0.01, most: 1},
	{name: "reeving", into: func(b *brake) *float64 { return &b.reeving }, factor: 1, least: 1, most: 8, wholeNumbers: true},
	{name: "rope diameter", into: func(b *brake) *float64 { return &b.ropeDiameter }, factor: 0.001, least: 2, most: 40},
}

// readDeck reads lines such as "spring rate = 1.2". An exclamation mark begins a comment.
func readDeck(text string) (*brake, error) {
	b := &brake{}
	seen := map[string]bool{}
	for i, line := range strings.Split(text, "\n") {
		line, _, _ = strings.Cut(line, "!")
		if strings.TrimSpace(line) == "" {
			continue
		}
		name, number, ok := strings.Cut(line, "=")
		name = strings.Join(strings.Fields(name), " ")
		if !ok {
			return nil, fmt.Errorf("line %d: want \"name = number\", have %q", i+1, strings.TrimSpace(line))
		}
		if err := b.set(name, strings.TrimSpace(number)); err != nil {
			return nil, fmt.Errorf("line %d: %w", i+1, err)
		}
		seen[name] = true
	}
	for _, e := range entries {
		if !seen[e.name] {
			return nil, fmt.Errorf("%s is missing", e.name)
		}
	}
	return b, nil
}

func (b *brake) set(name, text string) error {
	for _, e := range entries {
		if e.name != name {
			continue
		}
		value, err := strconv.ParseFloat(text, 64)
		switch {
		case err != nil:
			return fmt.Errorf("%s: %q is not a number", name, text)
		case !(value >= e.least && value <= e.most):
			return fmt.Errorf("%s: %g is outside of %g to %g", name, value, e.least, e.most)
		case e.wholeNumbers && value != math.Trunc(value):
			return fmt.Errorf("%s: %g is not a whole number", name, value)
		}
		*e.into(b) = value * e.factor
		return nil
	}
	return fmt.Errorf("%q is not known", name)
}
