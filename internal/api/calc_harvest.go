package api

import (
	"fmt"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/rigor"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
)

type rigorIn struct {
	Species  string   `json:"species"`
	Celsius  *float64 `json:"celsius"`
	Stressed *bool    `json:"stressed"`
}

type rigorOut struct {
	Onset   rigor.Range `json:"onset_hours"`
	End     rigor.Range `json:"end_hours"`
	Basis   rigor.Basis `json:"basis"`
	Warning string      `json:"warning,omitempty"`
	Source  refs.Cited  `json:"source"`
}

func (c calculator) rigor(in rigorIn) (rigorOut, error) {
	var bad invalid.Errors
	sp := c.speciesOf(in.Species, &bad)
	if in.Celsius == nil || !(*in.Celsius >= -3 && *in.Celsius <= 40) {
		bad.Add("celsius", "must be between −3 and 40")
	}
	if err := bad.Err(); err != nil {
		return rigorOut{}, err
	}
	t := rigor.At(sp, *in.Celsius, in.Stressed)
	return rigorOut{t.Onset, t.End, t.Basis, t.Warning, rigor.Source()}, nil
}

type iceIn struct {
	Species        string     `json:"species"`
	FishKg         float64    `json:"fish_kg"`
	FromCelsius    *float64   `json:"from_celsius"`
	InnerMM        *[]float64 `json:"inner_mm"` // length, width, height
	WallMM         *float64   `json:"wall_mm"`
	WallWMK        *float64   `json:"wall_w_mk"`
	OutsideCelsius *float64   `json:"outside_celsius"`
	OutsideH       *float64   `json:"outside_h_w_m2k"`
	Hours          *float64   `json:"hours"`
}

type iceOut struct {
	ToCool      float64 `json:"to_cool_kg"`
	ToHold      float64 `json:"to_hold_kg"`
	Total       float64 `json:"total_kg"`
	MeltPerHour float64 `json:"melt_kg_per_hour"`
}

// ice says how much ice a catch needs to be cooled and, in a box, to be
// held. All fields of the box go together.
func (c calculator) ice(in iceIn) (iceOut, error) {
	var bad invalid.Errors
	sp := c.speciesOf(in.Species, &bad)
	if !(in.FishKg > 0 && in.FishKg <= unit.MaxLotKilograms) {
		bad.Add("fish_kg", "%v", unit.ErrMassRange)
	}
	if in.FromCelsius == nil || !(*in.FromCelsius >= -3 && *in.FromCelsius <= 45) {
		bad.Add("from_celsius", "must be between −3 and 45")
	}
	boxed := in.InnerMM != nil || in.WallMM != nil || in.WallWMK != nil || in.OutsideCelsius != nil || in.OutsideH != nil ||
		in.Hours != nil
	var box icing.Box
	if boxed {
		box = in.box(&bad)
	}
	if err := bad.Err(); err != nil {
		return iceOut{}, err
	}
	var out iceOut
	var err error
	if out.ToCool, err = icing.ToCool(sp, in.FishKg, *in.FromCelsius); err != nil {
		return out, err
	}
	if boxed {
		out.MeltPerHour = box.MeltPerHour(*in.OutsideCelsius)
		out.ToHold = box.ToHold(*in.OutsideCelsius, *in.Hours)
	}
	out.Total = out.ToCool + out.ToHold
	return out, nil
}

func (in iceIn) box(bad *invalid.Errors) icing.Box {
	for field, v := range map[string]*float64{"wall_mm": in.WallMM, "wall_w_mk": in.WallWMK} {
		if v == nil {
			bad.Add(field, "is missing: a box needs inner_mm, wall_mm, wall_w_mk, outside_celsius and hours")
		}
	}
	if in.InnerMM == nil || len(*in.InnerMM) != 3 {
		bad.Add("inner_mm", "give length, width and height")
	}
	if in.OutsideCelsius == nil || unit.CheckCelsius(*in.OutsideCelsius) != nil {
		bad.Add("outside_celsius", "%v", unit.ErrTempRange)
	}
	if in.Hours == nil || !(*in.Hours >= 0 && *in.Hours <= 1000) {
		bad.Add("hours", "must be at least 0 and at most 1000")
	}
	if len(*bad) > 0 {
		return icing.Box{}
	}
	inner := *in.InnerMM
	box := icing.Box{LengthMM: inner[0], WidthMM: inner[1], HeightMM: inner[2], WallMM: *in.WallMM,
		WallWMK: *in.WallWMK}
	if in.OutsideH != nil {
		box.AirH = *in.OutsideH
		if !(box.AirH > 0) {
			bad.Add("outside_h_w_m2k", "must be above 0: still air 8, a windy deck 15")
		}
	}
	if err := box.Check(); err != nil {
		field := map[error]string{icing.ErrSides: "inner_mm", icing.ErrWall: "wall_mm", icing.ErrFoam: "wall_w_mk",
			icing.ErrAir: "outside_h_w_m2k"}[err]
		bad.Add(field, "%v", err)
	}
	return box
}

type histamineIn struct {
	DeathAt     *time.Time `json:"death_at"`
	ChilledAt   *time.Time `json:"chilled_at"`
	Gutted      bool       `json:"gutted_before_chilling"`
	MaxAmbient  *float64   `json:"max_ambient_celsius"`
	Readings    []reading  `json:"readings"`
	FrozenWeeks float64    `json:"frozen_weeks"`
	Until       *time.Time `json:"until"`
}

// histamine reads the histamine clock of a former from its readings up to
// until, or to the last of them.
func (c calculator) histamine(in histamineIn) (safety.Budget, error) {
	var bad invalid.Errors
	series := seriesOf(in.Readings, &bad)
	if in.MaxAmbient != nil && unit.CheckCelsius(*in.MaxAmbient) != nil {
		bad.Add("max_ambient_celsius", "%v", unit.ErrTempRange)
	}
	if !(in.FrozenWeeks >= 0 && in.FrozenWeeks <= 520) {
		bad.Add("frozen_weeks", "must be at least 0 and at most 520")
	}
	if in.DeathAt != nil && in.ChilledAt != nil && in.ChilledAt.Before(*in.DeathAt) {
		bad.Add("chilled_at", "lies before the death")
	}
	facts := safety.HistamineFacts{Death: in.DeathAt, Chilled: in.ChilledAt, Gutted: in.Gutted, AmbientC: in.MaxAmbient}
	for _, t := range []*time.Time{in.DeathAt, in.ChilledAt} {
		if t != nil && t.After(facts.Until) {
			facts.Until = *t
		}
	}
	if n := len(series); n > 0 && series[n-1].At.After(facts.Until) {
		facts.Until = series[n-1].At
	}
	if in.Until != nil {
		if facts.Until = *in.Until; in.ChilledAt != nil && facts.Until.Before(*in.ChilledAt) || in.DeathAt != nil &&
			facts.Until.Before(*in.DeathAt) {
			bad.Add("until", "lies before the death or the chilling")
		}
	}
	if err := bad.Err(); err != nil {
		return safety.Budget{}, err
	}
	for _, r := range series {
		if facts.ChilledBy == nil && r.Celsius <= safety.ChilledC && !r.At.After(facts.Until) {
			facts.ChilledBy = &r.At
		}
	}
	from := facts.Chilled
	if from != nil && in.DeathAt != nil {
		cooled := safety.CooledAt(*in.DeathAt, *in.ChilledAt, series)
		from = &cooled
	} else if from == nil {
		from = facts.ChilledBy
	}
	if from != nil {
		facts.After = safety.Stretches(*from, facts.Until, series, in.FrozenWeeks)
	}
	return safety.Histamine(facts), nil
}

// seriesOf checks readings: complete, in range, in the order of time.
func seriesOf(in []reading, bad *invalid.Errors) []coldchain.Reading {
	series := make([]coldchain.Reading, len(in))
	for i, r := range in {
		field := fmt.Sprintf("readings[%d].", i)
		switch {
		case r.At.IsZero():
			bad.Add(field+"at", "is missing")
		case r.Celsius == nil:
			bad.Add(field+"celsius", "is missing")
		case unit.CheckCelsius(*r.Celsius) != nil:
			bad.Add(field+"celsius", "%v", unit.ErrTempRange)
		case i > 0 && !r.At.After(in[i-1].At):
			bad.Add(field+"at", "must lie after the reading before it")
		default:
			series[i] = coldchain.Reading{At: r.At, Celsius: *r.Celsius}
		}
	}
	return series
}
