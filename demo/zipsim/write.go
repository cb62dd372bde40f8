package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
)

// write leaves result.json, trace.csv and run.log in the working folder.
func write(r *result, trace []row) error {
	text, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		return err
	}
	var table, log bytes.Buffer
	table.WriteString("# arrest of one trolley; time in s, position in m, speed in m/s, decel in g, rope_force in kN\n")
	table.WriteString("time,position,speed,decel,rope_force\n")
	for _, t := range trace {
		fmt.Fprintf(&table, "%.3f,%.4f,%.4f,%.5f,%.4f\n", t.time, t.position, t.speed, t.deceleration, t.ropeForce/1000)
	}
	fmt.Fprintf(&log, " ZIPSIM 1.2   ARREST BRAKE\n\n")
	fmt.Fprintf(&log, " THE TROLLEY STOOD AFTER  %8.3f S  AND  %8.3f M\n", r.StopTime, r.StopDistance)
	fmt.Fprintf(&log, " PEAK DECELERATION        %8.3f G\n", r.PeakG)
	fmt.Fprintf(&log, " CLEAR DISTANCE           %8.3f M  TO THE PLATFORM\n", r.Gap)
	fmt.Fprintf(&log, " ROLL-BACK                %8.3f M\n", r.RollBack)
	fmt.Fprintf(&log, " PEAK ROPE FORCE          %8.3f KN,  SAFETY FACTOR %7.2f\n", r.PeakRopeForce/1000, r.RopeSafety)
	fmt.Fprintf(&log, " SPRING TRAVEL            %8.3f M  OF %8.3f M\n", r.SpringTravel, r.SpringsSolidAt)
	fmt.Fprintf(&log, " PARTS COST               %8.2f EUR\n\n", r.Cost)
	fmt.Fprintf(&log, " %d STEPS, NORMAL END\n", r.SolverSteps)
	for name, text := range map[string][]byte{"result.json": append(text, '\n'), "trace.csv": table.Bytes(), "run.log": log.Bytes()} {
		if err := os.WriteFile(name, text, 0o644); err != nil {
			return err
		}
	}
	return nil
}
