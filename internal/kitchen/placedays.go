package kitchen

import (
	"context"
	"fmt"
	"iter"
	"math"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
)

// PlaceDay is what was measured in a place on a day.
type PlaceDay struct {
	Day                time.Time // its beginning, on the kitchen's clock
	Place              lot.Place
	MinC, MeanC, MaxC  float64 // of all its probes; NaN where nothing was measured
	LoggedH, ReadH     float64 // hours of the day that probes logged, and that people's readings answer for
	UnknownH, LongestH float64 // of which nothing is known, and the longest stretch of those
	LimitC             float64 // above which the hours count; NaN for none
	AboveH             float64 // by the warmest of its probes
}

// countedLimit is the highest limit at or below one for which hours above are counted; NaN for none.
func countedLimit(limit float64) float64 {
	counted := math.NaN()
	for _, l := range coldchain.Limits {
		if l <= limit {
			counted = l
		}
	}
	return counted
}

// PlaceDays yields each day of a span of each place that is kept cold, place by place.
func (k *Kitchen) PlaceDays(ctx context.Context, span coldchain.Span) iter.Seq2[PlaceDay, error] {
	return func(yield func(PlaceDay, error) bool) {
		places, err := k.Places(ctx)
		if err != nil {
			yield(PlaceDay{}, err)
			return
		}
		zone := ActorFrom(ctx).Zone()
		for _, p := range places {
			if !p.Cold() || p.Holds == lot.HoldsNone {
				continue
			}
			trace, err := k.PlaceTrace(ctx, p.ID, span)
			if err != nil {
				yield(PlaceDay{}, fmt.Errorf("what was measured in %s: %w", p.Name, err))
				return
			}
			for from := span.From.In(zone); from.Before(span.To); from = from.AddDate(0, 0, 1) {
				if !yield(trace.day(p.Place, coldchain.Span{From: from, To: from.AddDate(0, 0, 1)}.Clip(span)), nil) {
					return
				}
			}
		}
	}
}

// day is what was measured in a part of the span.
func (t PlaceTrace) day(p lot.Place, span coldchain.Span) PlaceDay {
	d := PlaceDay{Day: span.From, Place: p, MinC: math.NaN(), MaxC: math.NaN(), LimitC: countedLimit(t.Rules.WarmC)}
	for _, layer := range t.layers {
		e, _ := layer.Source.Exposure(span)
		if e.Covered == 0 {
			continue
		}
		if math.IsNaN(d.MinC) {
			d.MinC, d.MaxC = e.Min, e.Max
		}
		d.MinC, d.MaxC = math.Min(d.MinC, e.Min), math.Max(d.MaxC, e.Max)
		if !math.IsNaN(d.LimitC) {
			d.AboveH = math.Max(d.AboveH, e.HoursAbove(d.LimitC))
		}
	}
	parts, gaps := coldchain.FromLayers(span, t.layers...)
	d.MeanC = coldchain.Sum(parts).Mean()
	for _, part := range parts {
		if hours := part.Exposure.Covered.Hours(); part.Kind == coldchain.Spot {
			d.ReadH += hours
		} else {
			d.LoggedH += hours
		}
	}
	for _, g := range gaps {
		d.UnknownH += g.Len().Hours()
		d.LongestH = math.Max(d.LongestH, g.Len().Hours())
	}
	return d
}
