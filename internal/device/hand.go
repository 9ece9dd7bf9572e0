package device

import (
	"math"
	"time"
)

// Thermometer is a handheld thermometer: it settles on the core of a fish.
type Thermometer struct {
	Name    string
	OffsetC float64
}

// Read is what it shows after being stuck into something of a temperature for
// some time, from room temperature on, and sends.
func (t Thermometer) Read(celsius float64, in time.Duration, at time.Time) Record {
	const room, settles = 19.0, 3.0 // °C, s
	c := celsius + (room-celsius)*math.Exp(-in.Seconds()/settles) + t.OffsetC
	return Record{Name: t.Name, Unit: "Cel", Time: float64(at.UnixMilli()) / 1000, Value: math.Round(10*c) / 10}
}

// Scale is a bench scale.
type Scale struct {
	Name      string
	StepKg    float64 // of its display
	NoiseKg   float64 // standard deviation
	TareOffKg float64 // water or a tray that was not tared
}

// Weigh is what it shows of a mass and sends.
func (s Scale) Weigh(kg float64, at time.Time) Record {
	v := kg + s.TareOffKg + s.NoiseKg*normal(uint64(len(s.Name)), at.UnixNano())
	if s.StepKg > 0 {
		v = math.Round(v/s.StepKg) * s.StepKg
	}
	return Record{Name: s.Name, Unit: "kg", Time: float64(at.UnixMilli()) / 1000, Value: math.Round(v*1e4) / 1e4}
}
