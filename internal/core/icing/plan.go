package icing

import (
	"math"

	"leancatch/internal/core/piece"
	"leancatch/internal/core/species"
)

// Trip is fish that is to be cooled and held in a box for some hours.
type Trip struct {
	Species     species.Species
	FishKg      float64
	Count       int     // fish in it
	ThicknessMM float64 // of one fish; 0 to guess it by its weight
	FromC       float64 // °C of the fish as it goes in
	OutsideC    float64 // °C around the box
	Hours       float64
	Box         Box
}

// Plan is the ice of a trip.
type Plan struct {
	ToCoolKg    float64
	ToHoldKg    float64
	TotalKg     float64
	MeltPerHour float64 // against the air outside
	ThicknessMM float64
	FillLitres  float64 // that the fish and the first ice take
	LoadKg      float64 // of ice at the start: all of it, or what there is room for
	RunsOut     float64 // hours until that is gone
	TopUps      []TopUp // where it does not last
	Room        bool    // fish and LoadKg have room, and LoadKg is enough to cool the fish
	Methods     []Cooling
}

// TopUp is ice that is put in on the way.
type TopUp struct{ AfterHours, Kg float64 }

// mostTopUps bounds the top-ups of a plan.
const mostTopUps = 24

// Plan calculates the ice. An error says that a temperature or the thickness lies
// outside what the heat model knows.
func (t Trip) Plan() (Plan, error) {
	cool, err := ToCool(t.Species, t.FishKg, t.FromC)
	if err != nil {
		return Plan{}, err
	}
	p := Plan{ToCoolKg: cool, ToHoldKg: t.Box.ToHold(t.OutsideC, t.Hours), MeltPerHour: t.Box.MeltPerHour(t.OutsideC),
		ThicknessMM: t.ThicknessMM}
	p.TotalKg = p.ToCoolKg + p.ToHoldKg
	room := math.Max(0, (t.Box.Litres()-t.FishKg/fishPerLitre)*icePerLitre)
	p.LoadKg = math.Min(p.TotalKg, room)
	p.Room = p.LoadKg > p.ToCoolKg || p.TotalKg == 0
	p.FillLitres = FillLitres(t.FishKg, p.LoadKg)
	p.RunsOut = math.Inf(1)
	if p.MeltPerHour > 0 {
		p.RunsOut = math.Max(0, p.LoadKg-p.ToCoolKg) / p.MeltPerHour
	}
	if p.Room {
		p.topUps(t.Hours)
	}
	if p.ThicknessMM == 0 {
		p.ThicknessMM = piece.ThicknessMM(t.Species, t.FishKg/float64(max(1, t.Count)))
	}
	p.Methods, err = Compare(t.Species, p.ThicknessMM, t.FromC)
	return p, err
}

// topUps refills the box each time a quarter of its load is left.
func (p *Plan) topUps(hours float64) {
	left, at := p.LoadKg-p.ToCoolKg, 0.0
	for need := p.TotalKg - p.LoadKg; need > 1e-9 && len(p.TopUps) < mostTopUps; {
		wait := math.Max(0, left-topUpShare*p.LoadKg) / p.MeltPerHour
		at += wait
		left -= wait * p.MeltPerHour
		kg := math.Min(need, p.LoadKg-left)
		if at >= hours || kg <= 0 {
			return
		}
		p.TopUps = append(p.TopUps, TopUp{at, kg})
		left += kg
		need -= kg
	}
}
