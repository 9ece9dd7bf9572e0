package lot

import (
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
)

// Pack is how fish is packed.
type Pack string

// The packs.
const (
	PackAir    Pack = "air"    // open, or in a box with a lid
	PackFilm   Pack = "film"   // wrapped or tray-sealed in film
	PackVacuum Pack = "vacuum" // evacuated, or under gas
	PackIce    Pack = "ice"    // in drained ice
)

// Packs lists them.
var Packs = []Pack{PackAir, PackFilm, PackVacuum, PackIce}

// Name is the pack in words.
func (p Pack) Name() string {
	return map[Pack]string{PackAir: "Open, in air", PackFilm: "In film", PackVacuum: "Vacuum or gas",
		PackIce: "In drained ice"}[p]
}

// Packing is how a lot is packed.
type Packing struct {
	Pack Pack `json:"pack"`
	// oxygen transmission of the film, cm³/(m²·24 h) at 24 °C; nil where nobody knows
	OTR   *float64 `json:"film_otr,omitempty"`
	Tight bool     `json:"tight,omitempty"` // wrapped again, or stacked tight: the film cannot breathe
}

// Reduced reports whether the pack keeps oxygen out: film of which nobody knows
// that it breathes does.
func (p Packing) Reduced() bool {
	switch p.Pack {
	case PackVacuum:
		return true
	case PackFilm:
		return p.Tight || p.OTR == nil || *p.OTR < safety.AirFilmOTR
	}
	return false
}

func (p Packing) check(bad *invalid.Errors) {
	if !slices.Contains(Packs, p.Pack) {
		bad.Add("pack", "choose a pack")
	}
	if p.OTR != nil && !(*p.OTR > 0 && *p.OTR < 1e6) {
		bad.Add("film_otr", "must be above 0 and below 1 000 000 cm³/(m²·24 h)")
	}
}

// Packed says how the lot is packed from then on. To open a pack is to pack in
// air.
type Packed struct {
	Packing
	Note string `json:"note,omitempty"`
}

// Kind implements Payload.
func (Packed) Kind() Kind { return KindPacked }

func (p Packed) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	p.Packing.check(bad)
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// MayPack returns, as invalid.Errors, why a lot may not be packed so under a
// profile; nil where it may.
func MayPack(s *State, p Packing, profile safety.Profile) error {
	if p.Reduced() && !s.Frozen() && !profile.ReducedOxygenChilled {
		return invalid.Errors{{Field: "pack",
			Message: fmt.Sprintf(
				"raw fish is not packed without oxygen to be kept chilled, only frozen before, during and after "+
					"(%s); film that breathes at %.0f cm³/(m²·24 h) or more counts as air", profile.Name,
				safety.AirFilmOTR)}}
	}
	return nil
}

// PackStay is the time that a lot spends in one pack. To is zero for the last one.
type PackStay struct {
	Packing
	From, To time.Time
}

func (s *State) pack(p Packing, at time.Time) {
	if n := len(s.Packs); n > 0 {
		s.Packs[n-1].To = at
	}
	s.Packs = append(s.Packs, PackStay{Packing: p, From: at})
}

// Packing is how the lot is packed now; false where nobody said.
func (s *State) Packing() (Packing, bool) {
	if len(s.Packs) == 0 {
		return Packing{}, false
	}
	return s.Packs[len(s.Packs)-1].Packing, true
}

// journeyRecorded reports whether a logger came with the lot that covers its journey,
// but for what a clock that is not quite right may leave.
func (s *State) journeyRecorded() bool {
	const slack = 30 * time.Minute
	from := s.Start()
	if !from.Before(s.ReceivedAt) {
		return false
	}
	return slices.ContainsFunc(s.Loggers, func(l LoggerStay) bool {
		return !l.From.After(from.Add(slack)) && !l.To.Before(s.ReceivedAt.Add(-slack))
	})
}

// oxygen reads the clock of the lot's reduced-oxygen packs, those that were
// opened too: what grew is there; nil where it has none and had none.
func (t assessor) oxygen() (*safety.Oxygen, []coldchain.Span) {
	s := t.state
	var facts safety.OxygenFacts
	var gaps []coldchain.Span
	any := false
	for i, p := range s.Packs {
		if !p.Reduced() {
			continue
		}
		span := coldchain.Span{From: p.From, To: p.To}
		if span.To.IsZero() || span.To.After(t.at) {
			span.To = t.at
		}
		if i == 0 && p.From.Equal(s.ReceivedAt) && !s.Received.Frozen { // it came so
			facts.Arrived, facts.CoreC = true, s.Received.CoreC
			facts.Recorded = s.Received.Indicator || s.journeyRecorded()
			if s.journeyRecorded() {
				span.From = s.Start()
			}
		}
		for _, chilled := range s.thawedParts(span) {
			any = true
			e, missing := t.worst(chilled, safety.OxygenC)
			facts.Exposure = facts.Exposure.Add(e)
			facts.Days += chilled.Len().Hours() / 24
			for _, m := range missing {
				if s.explanationOf(m) == nil {
					gaps = append(gaps, m)
				}
			}
		}
	}
	if !any {
		return nil, nil
	}
	facts.Unknown = coldchain.Total(gaps).Hours()
	facts.Former = s.Species().HistamineRules()
	o := safety.ReducedOxygen(facts)
	return &o, gaps
}

// coverAfter is how long fish lies open before it is covered (common practice:
// a day on a rim, to dry, then covered).
const coverAfter = 24 * time.Hour

// StorageCautions are the cautions for a lot as it lies and is packed (common practice).
func StorageCautions(s *State, env Env) []string {
	if s.Status != OnHand {
		return nil
	}
	place := env.Places[s.Place()]
	fillet := s.Received.Form == "fillet_skin_on" || s.Received.Form == "fillet_skinless" || s.Received.Form == "loin"
	packing, said := s.Packing()
	var list []string
	switch {
	case s.Frozen() && said && packing.Pack == PackVacuum:
		list = append(list, "Open the vacuum pack before it thaws.")
	case s.Frozen(), s.Cooked != nil:
	case s.Ageing() != nil:
		list = append(list, "It hangs free and touches nothing; the fan's grid is clear, the tray below dry.")
	case packing.Reduced():
		list = append(list,
			fmt.Sprintf(
				"Reduced-oxygen pack: keep it at %.1f °C or colder, with a record; opened, it counts as air again.",
				safety.OxygenC))
	case packing.Pack == PackIce || place.Kind == "tote":
		list = append(list, "In ice: let the melt water run off, cover with ice, belly down so that the cavity drains.")
		if fillet {
			list = append(list, "Never bare on ice: wrap fillets and cut pieces first.")
		}
	case fillet:
		list = append(list,
			"On a dry absorbent pad, its shiny film to the fish unless its maker says otherwise; wrapped tight, no "+
				"air, changed when wet.")
	default:
		list = append(list, "On a rim so that it drains; open for the first day, then covered, or tight film at once.")
	}
	if !s.Frozen() {
		if below, over := place.Over(env.Places); over {
			list = append(list, fmt.Sprintf("Raw fish above ready-to-eat food in %s: it drips. Move one of them.",
				below.Name))
		}
	}
	return list
}

// coverBy is when open fish is to be covered; zero where that is not asked.
func (s *State) coverBy() time.Time {
	if n := len(s.Packs); n > 0 && s.Packs[n-1].Pack == PackAir && !s.Frozen() && s.Thaw() == nil && s.Ageing() == nil {
		return s.Packs[n-1].From.Add(coverAfter)
	}
	return time.Time{}
}
