package assess

import (
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// FreshLoss is a part of the fresh days that a lot spent.
type FreshLoss struct {
	Where   string  // in words: the same words for the same thing in every lot
	Arrived bool    // after it came
	Door    bool    // while it waited where nothing is kept for long
	Spell   bool    // in a warm spell of a place
	Days    float64 // fresh days
	InIce   float64 // those that it would have spent there in melting ice all the same: what is beyond them is warmth
}

// Warmth is what was spent there beyond melting ice; below 0 where it was colder.
func (l FreshLoss) Warmth() float64 { return l.Days - l.InIce }

// Where the fresh days of a lot went, in words.
const (
	lossBefore  = "Before its papers begin"
	lossDeck    = "Before the ice"
	lossVan     = "Van"
	lossThaw    = "Thawing"
	lossBetween = "Between two places"
	lossRead    = "Older than its papers"
)

// FreshLosses divides the fresh days that a lot spent until an assessment over its way, in order: they sum to a.Used. warm are the
// spells in which
// places were too warm: each stands alone, by its day. What an inspection found beyond the papers is a part of its own. Nil where nobody
// knows what
// it spent.
func FreshLosses(s *lot.State, env Env, a Assessment, warm map[int64][]coldchain.Span) []FreshLoss {
	if a.Basis == freshness.BasisNone || !s.Species().Fish() {
		return nil
	}
	t := newAssessor(s, env, a.At)
	var list []FreshLoss
	total := 0.0
	add := func(l FreshLoss) {
		if l.Days == 0 && l.InIce == 0 {
			return
		}
		total += l.Days
		if i := slices.IndexFunc(list, func(o FreshLoss) bool { return o.Where == l.Where && o.Arrived == l.Arrived }); i >= 0 {
			list[i].Days, list[i].InIce = list[i].Days+l.Days, list[i].InIce+l.InIce
			return
		}
		list = append(list, l)
	}
	if o, ok := s.Origin(); ok {
		add(FreshLoss{Where: lossBefore, Days: o.DaysBefore, InIce: o.DaysBefore})
	}
	var warmed FreshLoss // what cost the most warmth since the fish was cold: it cools at the cost of that
	most := 0.0
	t.eachLeg(coldchain.Span{From: a.From, To: t.at}, func(l leg) {
		parts, cold := t.lossParts(l, warm[l.placeID], warmed)
		if cold {
			warmed, most = FreshLoss{}, 0
		}
		for _, part := range parts {
			as, e := part.FreshLoss, t.exposure(part.span)
			part.Days, part.InIce = e.IceDays(a.Model), e.Covered.Hours()/24
			if add(part.FreshLoss); part.Warmth() > most {
				warmed, most = as, part.Warmth()
			}
		}
	})
	return append(list, FreshLoss{Where: lossRead, Days: a.Used.Days - total})
}

// lossPart is a span of a leg with what it is called.
type lossPart struct {
	FreshLoss
	span coldchain.Span
}

// lossParts cuts a leg where something else begins: the ice on deck, the van, a thaw, a warm spell of its place. Fish that comes warm,
// or was in a warm
// spell, cools at the cost of what warmed it; cold is that it got cold here.
func (t assessor) lossParts(l leg, warm []coldchain.Span, warmed FreshLoss) (parts []lossPart, cold bool) {
	s := t.state
	if l.From.Before(s.ReceivedAt) {
		where := t.seller()
		if l.ambient || l.name == "Before ice" {
			where = lossDeck
		}
		parts = []lossPart{{FreshLoss{Where: where}, l.Span}}
		if sent := s.Received.DispatchedAt; sent != nil {
			parts[0].span = l.Clip(coldchain.Span{From: l.From, To: *sent})
			parts = append(parts, lossPart{FreshLoss{Where: lossVan}, l.Clip(coldchain.Span{From: *sent, To: l.To})})
		}
		return withLength(parts), false
	}
	place := t.env.Places[l.placeID]
	here := FreshLoss{Where: l.name, Arrived: true, Door: place.Holds == lot.HoldsNone && !place.Bench()}
	if l.placeID == carried {
		here = FreshLoss{Where: lossBetween, Arrived: true}
	}
	rest := []coldchain.Span{l.Span}
	take := func(span coldchain.Span, as FreshLoss) {
		var left []coldchain.Span
		for _, r := range rest {
			if cut := r.Clip(span); cut.Len() > 0 {
				parts = append(parts, lossPart{as, cut})
			}
			left = append(left, r.Without([]coldchain.Span{span})...)
		}
		rest = left
	}
	for _, stay := range s.FrozenStays {
		if stay.To.IsZero() {
			continue
		}
		thawed := stay.ThawedAt
		if thawed.IsZero() {
			thawed = t.at
		}
		take(coldchain.Span{From: stay.To, To: thawed}, FreshLoss{Where: lossThaw, Arrived: true})
	}
	if warmed.Where != "" && place.Cold() {
		var to time.Time
		to, cold = t.cooled(l, l.From)
		take(coldchain.Span{From: l.From, To: to}, warmed)
	}
	for _, span := range warm {
		span.To, _ = t.cooled(l, span.To)
		take(span, FreshLoss{Where: fmt.Sprintf("%s, warm %s", l.name, span.From.In(zoneOr(t.env.Zone)).Format("Mon 2 Jan")), Arrived: true,
			Spell: true})
	}
	for _, r := range rest {
		parts = append(parts, lossPart{here, r})
	}
	return withLength(parts), cold
}

// cooledTo is by how much fish may be warmer than its place and still count as cold, K (house).
const cooledTo = 1.0

// cooled is when fish that is followed through a leg is as cold as its place again, from a time on: the end of the leg where it is not
// by then, and
// that time itself, false, where it is not followed.
func (t assessor) cooled(l leg, from time.Time) (at time.Time, found bool) {
	limit := l.assumed - AssumedMargin + cooledTo
	for _, line := range t.curves {
		for _, x := range line {
			switch {
			case x.At.Before(from):
			case x.At.After(l.To):
				return l.To, false
			case x.Celsius <= limit:
				return x.At, true
			}
		}
	}
	return from, false
}

func withLength(parts []lossPart) []lossPart {
	return slices.DeleteFunc(parts, func(p lossPart) bool { return p.span.Len() <= 0 })
}

// seller is who had the fish before it was sent here, in words.
func (t assessor) seller() string {
	s := t.state
	_, dealer := t.env.Dealers[s.Received.SupplierID]
	switch {
	case s.Received.OwnCatch:
		return "On board"
	case !dealer:
		return "Boat"
	case s.Received.LabelDate.Means == freshness.Caught || s.Harvest.Known():
		return "Boat and trader"
	}
	return "Trader"
}
