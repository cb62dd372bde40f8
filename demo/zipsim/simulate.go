package main

import (
	"fmt"
	"math"
)

const (
	blockMass       = 6.0    // kg, of the brake block that the trolley catches
	slideMass       = 14.0   // kg, of the head of the spring pack
	rolling         = 0.012  // rolling resistance of the trolley
	airDrag         = 0.35   // N s^2/m^2, of rider and trolley
	shoeDrag        = 210.0  // N, of the shoes with which the block runs on the cable
	ropeBehind      = 22.0   // m of rope between the pulley and the springs
	ropeStrength    = 1.55e8 // N/m^2 of diameter squared: laid polyester
	endStrength     = 0.75   // share of the strength that the spliced ends keep
	ropeModulus     = 1.1e9  // N/m^2 of diameter squared, for each unit of strain
	ropeLoss        = 35.0   // N s/m, damping in the rope
	springShare     = 0.42   // travel of the springs until they are solid, as a share of the buffer length
	stickSpeed      = 0.01   // m/s, below which the friction of the pad sets in gradually
	timeStep        = 2e-4   // s
	longest         = 12.0   // s
	traceEvery      = 100    // time steps
	standstillSpeed = 0.02   // m/s
)

// A failure is a brake that does not survive, or does not stop the rider.
type failure struct{ error }

// A state is the trolley and the head of the springs: ways and speeds.
type state struct{ x, v, y, w float64 }

// A row of the trace.
type row struct{ time, position, speed, deceleration, ropeForce float64 }

type result struct {
	PeakG          float64 `json:"peak_g"`
	StopDistance   float64 `json:"stop_distance"`
	Gap            float64 `json:"gap"`
	RollBack       float64 `json:"roll_back"`
	PeakRopeForce  float64 `json:"peak_rope_force"`
	RopeSafety     float64 `json:"rope_safety"`
	Cost           float64 `json:"cost"`
	SpringTravel   float64 `json:"spring_travel"`
	LargestJerk    float64 `json:"largest_jerk"`
	StopTime       float64 `json:"stop_time"`
	SolverSteps    int     `json:"solver_steps"`
	SpringsSolidAt float64 `json:"springs_solid_at"`
}

func (b *brake) moving() float64 { return b.riderMass + b.trolleyMass + blockMass }

// ropeForce is what the rope pulls with; it cannot push.
func (b *brake) ropeForce(s state) float64 {
	length := b.catchDistance + ropeBehind
	stretch, rate := s.x-b.reeving*s.y, s.v-b.reeving*s.w
	if stretch <= 0 {
		return 0
	}
	return math.Max(0, ropeModulus*b.ropeDiameter*b.ropeDiameter/length*stretch+ropeLoss*rate)
}

// rates are the speeds and accelerations of trolley and springs.
func (b *brake) rates(s state) state {
	force := b.ropeForce(s)
	mass := b.moving()
	drive := mass * b.gravity * b.slope * (1 - s.x/(4*b.catchDistance))
	drag := airDrag*s.v*math.Abs(s.v) + (rolling*mass*b.gravity+shoeDrag)*math.Tanh(s.v/stickSpeed)
	pad := b.padFriction * b.padForce * math.Tanh(s.w/stickSpeed)
	return state{
		x: s.v, v: (drive - drag - force) / mass,
		y: s.w, w: (b.reeving*force - b.springs*b.springRate*s.y - pad) / slideMass,
	}
}

// step is one step of the classical Runge-Kutta method.
func (b *brake) step(s state, h float64) state {
	move := func(s, k state, h float64) state {
		return state{x: s.x + h*k.x, v: s.v + h*k.v, y: s.y + h*k.y, w: s.w + h*k.w}
	}
	k1 := b.rates(s)
	k2 := b.rates(move(s, k1, h/2))
	k3 := b.rates(move(s, k2, h/2))
	k4 := b.rates(move(s, k3, h))
	return state{
		x: s.x + h/6*(k1.x+2*k2.x+2*k3.x+k4.x), v: s.v + h/6*(k1.v+2*k2.v+2*k3.v+k4.v),
		y: s.y + h/6*(k1.y+2*k2.y+2*k3.y+k4.y), w: s.w + h/6*(k1.w+2*k2.w+2*k3.w+k4.w),
	}
}

// simulate follows the trolley from the catch until it has rolled back and stands.
func (b *brake) simulate() (*result, []row, error) {
	arriving := b.riderMass + b.trolleyMass
	s := state{v: b.arrivalSpeed * arriving / b.moving()} // the block is caught without a bounce
	r := &result{SpringsSolidAt: springShare * b.bufferLength}
	strength := ropeStrength * b.ropeDiameter * b.ropeDiameter * endStrength
	var trace []row
	deceleration := func(s state) float64 { return -b.rates(s).v / b.gravity }
	for i := 0; ; i++ {
		t := float64(i) * timeStep
		force, g := b.ropeForce(s), deceleration(s)
		if i%traceEvery == 0 {
			if n := len(trace); n > 0 {
				r.LargestJerk = math.Max(r.LargestJerk, math.Abs(g-trace[n-1].deceleration)/(traceEvery*timeStep))
			}
			trace = append(trace, row{time: t, position: s.x, speed: s.v, deceleration: g, ropeForce: force})
		}
		r.PeakG, r.PeakRopeForce = math.Max(r.PeakG, g), math.Max(r.PeakRopeForce, force)
		r.SpringTravel = math.Max(r.SpringTravel, s.y)
		switch {
		case s.y > r.SpringsSolidAt:
			return nil, nil, failure{fmt.Errorf("the springs go solid at %.2f m of travel, %.2f s after the catch, with the trolley still at %.1f m/s", r.SpringsSolidAt, t, s.v)}
		case force > strength:
			return nil, nil, failure{fmt.Errorf("the rope breaks at %.1f kN, %.2f s after the catch", force/1000, t)}
		case s.x > b.catchDistance:
			return nil, nil, failure{fmt.Errorf("the trolley runs into the platform at %.1f m/s", s.v)}
		case math.IsNaN(s.x):
			return nil, nil, failure{fmt.Errorf("the integration lost its footing at %.3f s", t)}
		}
		if s.x > r.StopDistance {
			r.StopDistance, r.StopTime = s.x, t
		}
		stands := math.Abs(s.v) < standstillSpeed && t > r.StopTime+0.3
		if stands || t > longest {
			r.SolverSteps = i
			break
		}
		s = b.step(s, timeStep)
	}
	r.RollBack = r.StopDistance - s.x
	r.Gap = b.catchDistance - r.StopDistance
	r.RopeSafety = strength / r.PeakRopeForce
	r.Cost = b.cost()
	return r, trace, nil
}

// cost of the parts, in EUR.
func (b *brake) cost() float64 {
	diameter := b.ropeDiameter * 1000
	springs := b.springs * (46 + 38*math.Pow(b.springRate/1000, 0.8))
	pad := 95 + 31*math.Pow(b.padForce/1000, 1.1)
	rope := (b.catchDistance + ropeBehind) * (0.9 + 0.052*diameter*diameter)
	track := 74 * b.bufferLength
	run := 21 * b.catchDistance // guards and netting along the braking run
	return 240 + springs + pad + rope + track + run
}
