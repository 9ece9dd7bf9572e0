package assess

import (
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// Who says how warm it is, in words, where no instrument does.
const (
	sourceCore  = "core"
	sourceIce   = "ice"
	sourceWater = "the water it thaws in"
	sourceRoom  = "nothing: taken as warm"

	failedCheck = ", which failed its check"
)

// lately are the spans of which the warmer mean goes on (house).
var lately = []time.Duration{24 * time.Hour, 2 * time.Hour}

// lastly is how warm it was lately by who said so last, °C; NaN where nobody did.
func lastly(list []around, now time.Time) float64 {
	last, warmest := list[len(list)-1], math.NaN()
	for _, back := range lately {
		var e coldchain.Exposure
		for _, s := range list {
			part := coldchain.Span{From: now.Add(-back), To: now}.Clip(s.Span)
			if part.Len() > 0 && s.Grade == last.Grade && s.Source == last.Source {
				e = e.Add(s.Exposure(part))
			}
		}
		if e.Covered > 0 && !(e.Mean() <= warmest) {
			warmest = e.Mean()
		}
	}
	return warmest
}

// conditions are what surrounds the fish through a leg, without a hole: what touches it, the ice
// that was seen around it, the air that an instrument measures, what people measured, and last
// what follows from nobody having done so.
func (t assessor) conditions(l leg) []around {
	if now := t.known(); l.To.After(now) {
		return t.forecast(l, now)
	}
	place := t.env.Places[l.placeID]
	slow := t.paceIn(l.piece, l.h)
	if l.water != nil { // whatever the air around it does
		return []around{{Segment{Span: l.Span, Grade: GradeChecked, Source: sourceWater, source: coldchain.Steady(*l.water)}, slow.atOnce()}}
	}
	stay, thawing := frozenStayAt(t.state, l.From)
	rules := graded{t.env.Profile.Grades, stay != nil && !thawing}
	touching, air, distrusted := t.instruments(l)
	var list []around
	add := func(segments []Segment, p pace) {
		for _, s := range within(without(l.Span, list), segments) {
			list = append(list, around{s, p})
		}
		slices.SortFunc(list, func(a, b around) int { return a.From.Compare(b.From) })
	}
	onTheWay, warm := l.placeID == 0, l.placeID != 0 && !place.Cold()
	airPace := slow
	if warm {
		airPace = slow.touched()
	}
	sure, open := t.iced(l)
	if rules.frozen { // ice is no colder than 0 °C
		sure, open = nil, nil
	}
	inIce := t.paceIn(l.piece, iceH()).atOnce()
	add(t.logged(l, touching, rules), slow.touched())
	add(sure, inIce)
	measured := t.logged(l, air, rules)
	if warm {
		for i := range measured {
			measured[i].Grade = GradeExposed
		}
	}
	add(measured, airPace)
	if onTheWay {
		add(t.shortWay(l), slow.atOnce())
	}
	add(t.maxima(l, slices.Concat(touching, air)), slow.atOnce())
	marks := t.marks(l, slices.Concat(touching, air), rules, warm)
	fill := func(keep func(Segment) bool) {
		var found []Segment
		for _, hole := range without(l.Span, list) {
			found = append(found, between(hole, marks, rules, warm, t.limitIn(rules.frozen))...)
		}
		for _, s := range found {
			if !keep(s) {
				continue
			}
			p := slow.atOnce()
			if slices.ContainsFunc(measured, func(m Segment) bool { return m.To.Equal(s.From) && m.Source == s.Source }) {
				p = airPace // since its last reading: the fish follows that as it followed those before
			}
			add([]Segment{s}, p)
		}
	}
	fill(func(s Segment) bool { return s.Grade == GradeLogged }) // around an instrument's single reading
	if len(air) > 0 {                                            // nobody saw since how much of it is left: no faster than in the air
		inIce = slow.atOnce()
	}
	add(open, inIce)
	fill(func(Segment) bool { return true })
	doubted := t.logged(l, distrusted, rules)
	for i := range doubted { // no proof of cold; but where it says warm, that counts
		doubted[i].Grade, doubted[i].Counts = GradeUnknown, true
		doubted[i].Source += failedCheck
	}
	add(doubted, slow.atOnce())
	rest := Segment{Span: l.Span, Grade: GradeUnknown, Source: "", source: coldchain.Steady(l.assumed)}
	if warm && !onTheWay {
		rest.Grade, rest.Source = GradeExposed, sourceRoom
		if !l.ambient {
			rest.source = coldchain.Steady(ExposedC(place))
		}
	}
	add([]Segment{rest}, slow.atOnce())
	return list
}

// shortWay is the way of a dealer's fish that was short and came cold enough: its core answers for it.
func (t assessor) shortWay(l leg) []Segment {
	sent, core := t.state.Received.DispatchedAt, t.state.Received.CoreC
	if !t.dealt() || sent == nil || core == nil || *core > safety.ChilledC || t.state.ReceivedAt.Sub(*sent) > shortestWay {
		return nil
	}
	if part := (coldchain.Span{From: *sent, To: t.state.ReceivedAt}).Clip(l.Span); part.Len() > 0 {
		return []Segment{{Span: part, Grade: GradeChecked, Source: sourceCore, source: coldchain.Steady(*core)}}
	}
	return nil
}

// shortestWay is the longest way of a dealer's fish for which its core answers [FDA-hazards, chapter 7].
const shortestWay = 4 * time.Hour

// dealt reports whether the lot came from a dealer, whose fish came through a first receiver's gate.
func (t assessor) dealt() bool {
	until, dealer := t.env.Dealers[t.state.Received.SupplierID]
	return dealer && !t.state.Received.OwnCatch && t.state.ReceivedAt.Before(until)
}

// known is until when records count: beyond it is forecast.
func (t assessor) known() time.Time {
	if t.env.Now.IsZero() {
		return t.at
	}
	return earlierOf(t.at, t.env.Now)
}

// forecast are the conditions of a leg that lies in part beyond what is known: it stays as it is, or
// goes where the plan says. Of an instrument it is the mean of its last day, or of its last two hours
// where that is warmer: a door or a defrosting is no failure; in a place that nobody
// measured what it is set to. In a place that is not cooled ice answers for its hours, and what a
// person measured for none.
func (t assessor) forecast(l leg, now time.Time) []around {
	var list, future []around
	place := t.env.Places[l.placeID]
	kept := Segment{Span: l.Span, Grade: GradeForecast, Source: "if kept so", source: coldchain.Steady(l.assumed - AssumedMargin)}
	ahead := around{kept, t.paceIn(l.piece, l.h)}
	if !place.Cold() {
		ahead.source, ahead.pace = coldchain.Steady(ExposedC(place)), ahead.atOnce()
	}
	if l.From.Before(now) {
		past := l
		past.To = now
		list = t.conditions(past)
		last := list[len(list)-1]
		answers := last.Grade != GradeUnknown
		if !place.Cold() {
			answers = last.Grade == GradeLogged || last.Grade == GradeExposed
		}
		if c := lastly(list, now); answers && !math.IsNaN(c) {
			ahead.source, ahead.pace = coldchain.Steady(c), last.pace
		}
		ahead.From = now
		if seen := t.sightings(l); !place.Cold() && len(seen) > 0 && seen[len(seen)-1].Ice {
			ice := around{Segment{Span: coldchain.Span{From: now, To: seen[len(seen)-1].RunsOut}.Clip(l.Span), Grade: GradeForecast,
				Source: sourceIce, source: coldchain.Steady(0)}, t.paceIn(l.piece, iceH()).atOnce()}
			if ice.Len() > 0 {
				future, ahead.From = append(future, ice), ice.To
			}
		}
	}
	future = append(future, ahead)
	for _, p := range t.env.Plan {
		planned := coldchain.Span{From: laterOf(p.From, now), To: l.To}.Clip(l.Span)
		if planned.Len() <= 0 {
			break
		}
		for i := range future {
			future[i].To = earlierOf(future[i].To, planned.From)
		}
		pace := t.paceIn(l.piece, surfaceH(l.piece, p.Boundary, p.Celsius))
		if p.Exposed {
			pace = pace.atOnce()
		}
		future = append(future, around{Segment{Span: planned, Grade: GradeForecast, Source: p.Name, source: coldchain.Steady(p.Celsius)}, pace})
	}
	return append(list, slices.DeleteFunc(future, func(s around) bool { return s.Len() <= 0 })...)
}

// ExposedC is how warm a place is that is not cooled and that nobody measures, °C.
func ExposedC(p lot.Place) float64 {
	if p.SetC != 0 {
		return p.SetC + exposedMargin
	}
	return roomC
}

// without is what is left of a span beside what lies around the fish in it, which is in order.
func without(span coldchain.Span, list []around) []coldchain.Span {
	spans := make([]coldchain.Span, len(list))
	for i, s := range list {
		spans[i] = s.Span
	}
	return span.Without(spans)
}

// within are the parts of segments that lie in holes, which are in order; of two that overlap, the
// one that begins earlier goes on.
func within(holes []coldchain.Span, segments []Segment) []Segment {
	slices.SortStableFunc(segments, func(a, b Segment) int { return a.From.Compare(b.From) })
	var parts []Segment
	for _, hole := range holes {
		for len(segments) > 0 && !segments[0].To.After(hole.From) {
			segments = segments[1:]
		}
		left := hole
		for _, s := range segments {
			if !s.From.Before(hole.To) {
				break
			}
			if s.Span = s.Clip(left); s.Len() > 0 {
				parts = append(parts, s)
				left.From = s.To
			}
		}
	}
	return parts
}

// graded are the hours for which records answer in a leg.
type graded struct {
	safety.GradeRules
	frozen bool
}

// logged is the longest time between two readings of an instrument.
func (g graded) logged() time.Duration {
	if g.frozen {
		return time.Duration(g.LoggedFrozenMinutes * float64(time.Minute))
	}
	return time.Duration(g.LoggedMinutes * float64(time.Minute))
}

func (g graded) checked() time.Duration { return inHours(g.CheckedHours) }

// limitIn is the temperature above which a person's reading counts for the whole stretch, °C.
func (t assessor) limitIn(frozen bool) float64 {
	if frozen {
		return t.env.Profile.FrozenMaxC
	}
	return t.env.Profile.ChilledLimit(t.state.Species())
}

// instrument is what measured a place, or lay with the lot, in a time.
type instrument struct {
	lot.ProbeStay
	record coldchain.Record
}

// instruments are those of a leg: what touches the fish, what measures the air, and both where they
// are distrusted.
func (t assessor) instruments(l leg) (touching, air, distrusted []instrument) {
	put := func(list *[]instrument, stay lot.ProbeStay) {
		record := t.env.Probe(stay.ProbeID)
		if record == nil {
			return
		}
		doubts := t.env.Distrusted[stay.ProbeID]
		add := func(list *[]instrument, span coldchain.Span) {
			if part := stay; span.Len() > 0 {
				part.Span = span
				*list = append(*list, instrument{part, record})
			}
		}
		for _, span := range stay.Span.Without(doubts) {
			add(list, span)
		}
		for _, span := range doubts {
			add(&distrusted, span.Clip(stay.Span))
		}
	}
	for _, stay := range t.state.Loggers {
		if stay.Clip(l.Span).Len() > 0 {
			put(&touching, lot.ProbeStay{ProbeID: stay.ProbeID, Span: stay.Span})
		}
	}
	for _, stay := range l.probes {
		if l.air && !stay.Contact {
			put(&air, stay)
		} else {
			put(&touching, stay)
		}
	}
	return touching, air, distrusted
}

// runs are the unbroken stretches of an instrument's record around a leg, as far as answers can
// reach, until the moment of the assessment.
func (t assessor) runs(l leg, in instrument, most time.Duration) []coldchain.Run {
	farthest := inHours(max(t.env.Profile.Grades.MaximumHours, t.env.Profile.Grades.CheckedHours))
	wide := coldchain.Span{From: l.From.Add(-farthest), To: earlierOf(l.To.Add(farthest), t.known())}.Clip(in.Span)
	if wide.Len() < 0 {
		return nil
	}
	var runs []coldchain.Run
	for _, r := range in.record.Runs(wide, most) {
		if r.Last.At.After(wide.To) {
			if r.First.At.After(wide.To) {
				continue
			}
			r.Last = endOf(r, wide.To)
		}
		if r.First.At.Before(in.From) {
			if r.Last.At.Before(in.From) {
				continue
			}
			r.First = beginOf(r, in.From)
		}
		runs = append(runs, r)
	}
	return runs
}

// beginOf is the same where a run is cut at its beginning.
func beginOf(r coldchain.Run, at time.Time) coldchain.Reading {
	if !r.Last.At.After(at) {
		return r.Last
	}
	e, _ := r.Source.Exposure(coldchain.Span{From: at, To: at.Add(moment)})
	return coldchain.Reading{At: at, Celsius: e.Max}
}

// endOf is the reading that a run would have at a time within it.
func endOf(r coldchain.Run, at time.Time) coldchain.Reading {
	if !r.First.At.Before(at) {
		return r.First
	}
	e, _ := r.Source.Exposure(coldchain.Span{From: at.Add(-moment), To: at})
	return coldchain.Reading{At: at, Celsius: e.Max}
}

// logged are the stretches of a leg in which an instrument measured without a break; where several
// did, the warmer one counts.
func (t assessor) logged(l leg, instruments []instrument, rules graded) []Segment {
	var out []Segment
	for _, in := range instruments {
		if in.ByHand {
			continue
		}
		var own []Segment
		for _, r := range t.runs(l, in, rules.logged()) {
			if part := r.Span().Clip(l.Span); part.Len() > 0 {
				own = append(own, Segment{Span: part, Grade: GradeLogged, Source: in.Name, source: r.Source})
			}
		}
		out = warmest(out, own)
	}
	return out
}

// warmest puts two records together: where both know, the warmer one counts.
func warmest(a, b []Segment) []Segment {
	if len(a) == 0 {
		return b
	}
	if len(b) == 0 {
		return a
	}
	var cuts []time.Time
	for _, s := range slices.Concat(a, b) {
		cuts = append(cuts, s.From, s.To)
	}
	slices.SortFunc(cuts, time.Time.Compare)
	in := func(list []Segment, span coldchain.Span) *Segment {
		for i := range list {
			if !list[i].From.After(span.From) && !list[i].To.Before(span.To) {
				return &list[i]
			}
		}
		return nil
	}
	var out []Segment
	for i := 1; i < len(cuts); i++ {
		span := coldchain.Span{From: cuts[i-1], To: cuts[i]}
		if span.Len() <= 0 {
			continue
		}
		x, y := in(a, span), in(b, span)
		switch {
		case x != nil && y != nil:
			out = append(out, Segment{Span: span, Grade: x.Grade, Source: x.Source + ", " + y.Source,
				source: coldchain.Warmer{A: x.source, B: y.source}})
		case x != nil:
			out = append(out, Segment{Span: span, Grade: x.Grade, Source: x.Source, source: x.source})
		case y != nil:
			out = append(out, Segment{Span: span, Grade: y.Grade, Source: y.Source, source: y.source})
		}
	}
	return out
}

// iced are the stretches of a leg in which the fish lay in ice that somebody saw at both ends, no
// further apart than the rules allow; and after the last look, for as long as that answers.
func (t assessor) iced(l leg) (sure, open []Segment) {
	most := inHours(t.env.Profile.Grades.IcedHours)
	put := func(list []Segment, span coldchain.Span) []Segment {
		if part := span.Clip(l.Span); part.Len() > 0 {
			return append(list, Segment{Span: part, Grade: GradeIced, Source: sourceIce, source: coldchain.Steady(0)})
		}
		return list
	}
	if l.placeID == 0 {
		for _, ice := range l.iced {
			sure = put(sure, ice)
		}
		if t.dealt() && t.state.Received.Ice == wellIced && !t.state.Received.Frozen {
			sure = put(sure, l.Span)
		}
	}
	for _, ice := range l.seen {
		open = put(open, ice)
	}
	seen := t.sightings(l)
	for i, s := range seen {
		switch {
		case !s.Ice:
		case i+1 < len(seen):
			if next := seen[i+1]; next.At.Sub(s.At) <= most && next.Ice {
				sure = put(sure, coldchain.Span{From: s.At, To: next.At})
			}
		case earlierOf(l.To, t.at).Sub(s.At) <= most:
			open = put(open, coldchain.Span{From: s.At, To: s.RunsOut})
		}
	}
	return sure, open
}

// sightings are the looks at the ice around the fish of a leg until the moment of the assessment:
// those of its place, and its own.
func (t assessor) sightings(l leg) []icing.Sighting {
	place := t.env.Places[l.placeID]
	seen := slices.Concat(place.Ice.Sightings(), place.Seen)
	own := func(at time.Time) {
		if l.Has(at) {
			seen = append(seen, icing.Sighting{At: at, Ice: true, RunsOut: at.Add(inHours(t.env.Profile.Grades.IcedHours))})
		}
	}
	s := t.state
	if s.Received.Ice == wellIced && !s.Received.Frozen {
		own(s.ReceivedAt)
	}
	if chilled := chilledAt(s); chilled != nil {
		own(*chilled)
	}
	for _, p := range s.Packs {
		if p.Pack == lot.PackIce {
			own(p.From)
		}
	}
	seen = slices.DeleteFunc(seen, func(x icing.Sighting) bool { return x.At.After(t.at) })
	slices.SortStableFunc(seen, func(a, b icing.Sighting) int { return a.At.Compare(b.At) })
	return seen
}

// maxima are the stretches of a leg for which a thermometer kept the highest temperature.
func (t assessor) maxima(l leg, instruments []instrument) []Segment {
	var out []Segment
	for _, in := range instruments {
		if !in.Maximum {
			continue
		}
		var own []Segment
		var before *coldchain.Reading
		for _, r := range t.runs(l, in, 0) {
			x := r.First
			if before != nil && x.At.Sub(before.At) <= inHours(t.env.Profile.Grades.MaximumHours) {
				if part := (coldchain.Span{From: before.At, To: x.At}).Clip(l.Span); part.Len() > 0 {
					own = append(own, Segment{Span: part, Grade: GradeMaximum, Source: in.Name, source: coldchain.Steady(x.Celsius)})
				}
			}
			before = &x
		}
		out = warmest(out, own)
	}
	return out
}

// mark is one record at one moment, and for how long it answers by itself.
type mark struct {
	coldchain.Reading
	probe  int64 // 0 for a core
	source string
	grade  Grade
	holds  time.Duration
	void   bool // it was cancelled: it answers for nothing, and nothing is answered for over it
}

// marks are the records that the holes of a leg lie between: the ends of each instrument's
// stretches, what people measured, and cores; in a place that is not cooled these are the fish's
// and not the place's.
func (t assessor) marks(l leg, instruments []instrument, rules graded, warm bool) []mark {
	var marks []mark
	for _, in := range instruments {
		grade, holds := GradeLogged, rules.logged()
		most := rules.logged()
		if in.ByHand {
			grade, holds, most = GradeChecked, rules.checked(), 0
		}
		for _, r := range t.runs(l, in, most) {
			marks = append(marks, mark{r.First, in.ProbeID, in.Name, grade, holds, false})
			if r.Last.At.After(r.First.At) {
				marks = append(marks, mark{r.Last, in.ProbeID, in.Name, grade, holds, false})
			}
		}
	}
	if !warm {
		for _, x := range t.state.CoreReadings {
			if !x.At.Before(l.From) && !x.At.After(earlierOf(l.To, t.at)) {
				marks = append(marks, mark{x, 0, sourceCore, GradeChecked, rules.checked(), false})
			}
		}
		for _, at := range t.state.CancelledCores {
			if !at.Before(l.From) && !at.After(earlierOf(l.To, t.at)) {
				marks = append(marks, mark{Reading: coldchain.Reading{At: at}, void: true})
			}
		}
	}
	slices.SortStableFunc(marks, func(a, b mark) int { return a.At.Compare(b.At) })
	return marks
}

// between is what the records around and in a hole say of it. Two of them answer for the time
// between them within the hours of people's readings; where one is above the limit, all of it is
// as warm as that one, and it counts for its own hours whatever lies beyond. What no record follows
// keeps the grade of the last one for as long as that answers, and is unknown as a whole after that.
func between(hole coldchain.Span, marks []mark, rules graded, warm bool, limitC float64) []Segment {
	var out []Segment
	put := func(span coldchain.Span, grade Grade, source string, s coldchain.Source) {
		if warm {
			grade = GradeExposed
		}
		if part := span.Clip(hole); part.Len() > 0 {
			out = append(out, Segment{Span: part, Grade: grade, Source: source, Counts: grade == GradeUnknown, source: s})
		}
	}
	alone := func(m mark, span coldchain.Span) { // above the limit it counts all the same
		if m.Celsius > limitC && !m.void {
			put(span, GradeUnknown, m.source, coldchain.Steady(m.Celsius))
		}
	}
	var left *mark
	later, _ := slices.BinarySearchFunc(marks, hole.From, func(m mark, from time.Time) int {
		if m.At.After(from) {
			return 1
		}
		return -1
	})
	if later > 0 {
		left = &marks[later-1]
	}
	for i := later; i < len(marks); i++ {
		m := &marks[i]
		if left == nil {
			from := hole.From
			if !m.void && m.At.Sub(from) <= m.holds {
				put(coldchain.Span{From: from, To: m.At}, m.grade, m.source, coldchain.Steady(m.Celsius))
			} else {
				alone(*m, coldchain.Span{From: laterOf(from, m.At.Add(-m.holds)), To: m.At})
			}
		} else if left.holds >= hole.To.Sub(left.At) && m.At.Sub(left.At) > rules.checked() && m.At.After(hole.To) {
			// it answers to the end of the hole by itself: what came too late afterwards takes nothing away
			put(coldchain.Span{From: left.At, To: hole.To}, left.grade, left.source, coldchain.Steady(left.Celsius))
		} else {
			bridge(*left, *m, rules, limitC, put, alone)
		}
		left = m
		if !m.At.Before(hole.To) {
			return out
		}
	}
	if left != nil && left.At.Before(hole.To) {
		if !left.void && hole.To.Sub(left.At) <= left.holds {
			put(coldchain.Span{From: left.At, To: hole.To}, left.grade, left.source, coldchain.Steady(left.Celsius))
		} else {
			alone(*left, coldchain.Span{From: left.At, To: left.At.Add(left.holds)})
		}
	}
	return out
}

// bridge answers for the time between two records.
func bridge(a, b mark, rules graded, limitC float64, put func(coldchain.Span, Grade, string, coldchain.Source),
	alone func(mark, coldchain.Span)) {
	span := coldchain.Span{From: a.At, To: b.At}
	warmer := max(a.Celsius, b.Celsius)
	source := a.source
	if b.source != a.source {
		source += ", " + b.source
	}
	switch {
	case span.Len() > rules.checked() || a.void || b.void:
		alone(a, coldchain.Span{From: a.At, To: earlierOf(b.At, a.At.Add(a.holds))})
		alone(b, coldchain.Span{From: laterOf(a.At.Add(a.holds), b.At.Add(-b.holds)), To: b.At})
	case a.probe != 0 && a.probe == b.probe && a.grade == GradeLogged:
		put(span, GradeBridged, source, coldchain.Steady(warmer+bridgeMargin))
	case warmer > limitC:
		put(span, GradeChecked, source, coldchain.Steady(warmer))
	default:
		put(span, GradeChecked, source, coldchain.Series{Readings: []coldchain.Reading{a.Reading, b.Reading}, MaxGap: span.Len()})
	}
}
