package assess

import (
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
)

// Grade says how well a stretch of the temperature line is known.
type Grade string

// The grades, from best to worst.
const (
	GradeLogged    Grade = "logged"    // by an instrument
	GradeMaximum   Grade = "maximum"   // by the highest temperature since the reading before
	GradeChecked   Grade = "checked"   // by people, with a thermometer
	GradeIced      Grade = "iced"      // by ice that was seen around it
	GradeBridged   Grade = "bridged"   // over a hole in the record of one instrument
	GradeExposed   Grade = "exposed"   // in a place that is not cooled
	GradeExplained Grade = "explained" // by what a manager said of hours without a record
	GradeUnknown   Grade = "unknown"
	GradeForecast  Grade = "forecast" // of hours to come, if it is kept so
)

// bridgeMargin is added to the warmer end of a hole in the record of one instrument, K (house).
const bridgeMargin = 2.0

// Uncooled places are as warm as this where nobody measures and nothing is set, °C, and by so many
// kelvin warmer than they are set to (house).
const (
	roomC         = 22.0
	exposedMargin = 5.0
)

// Segment is a stretch of the temperature line.
type Segment struct {
	coldchain.Span
	Grade  Grade
	Source string // who or what says so, in words; "" for nobody
	Counts bool   // of an unknown one: a record above the limit counts for its own hours all the same
	source coldchain.Source
	whole  *coldchain.Exposure // of all of it, once the line is drawn: most questions are about that
}

// Exposure is what a part of the segment did. Of an unknown one it is what the quality clock may
// assume.
func (s Segment) Exposure(span coldchain.Span) coldchain.Exposure {
	part := s.Clip(span)
	if s.whole != nil && part == s.Span {
		return *s.whole
	}
	e, _ := s.source.Exposure(part)
	return e
}

// during is the segment in another time, with another source.
func (s Segment) during(span coldchain.Span, source coldchain.Source) Segment {
	s.Span, s.source = span, source
	return s
}

// Line is the temperature of the warmest part of the fish of a lot, without a hole: stretches in
// order.
type Line []Segment

// Over is what the line did over a span as far as it is known, and the stretches of the span in
// which it is not.
func (l Line) Over(span coldchain.Span) (e coldchain.Exposure, unknown []coldchain.Span) {
	return l.over(span, GradeUnknown)
}

// proven is the same where a manager's word is not enough.
func (l Line) proven(span coldchain.Span) (e coldchain.Exposure, unknown []coldchain.Span) {
	return l.over(span, GradeUnknown, GradeExplained)
}

func (l Line) over(span coldchain.Span, not ...Grade) (e coldchain.Exposure, unknown []coldchain.Span) {
	for _, s := range l {
		part := s.Clip(span)
		if part.Len() <= 0 {
			continue
		}
		if slices.Contains(not, s.Grade) {
			unknown = coldchain.Join(unknown, part)
		}
		if s.Grade != GradeUnknown || s.Counts {
			e = e.Add(s.Exposure(part))
		}
	}
	return e, unknown
}

// Point is the line at a moment.
type Point struct {
	Celsius float64
	Source  string
	Grade   Grade
	Counts  bool // though unknown
}

// At is the line just before a moment; false where it does not reach there.
func (l Line) At(at time.Time) (Point, bool) {
	for _, s := range slices.Backward(l) {
		if s.From.Before(at) && !s.To.Before(at) {
			e := s.Exposure(coldchain.Span{From: at.Add(-moment), To: at})
			return Point{rounded(e.Mean()), s.Source, s.Grade, s.Counts}, true
		}
	}
	return Point{}, false
}

// Points are the ends of the pieces between which a known line runs straight, a list for each stretch
// without a break, no finer than a few minutes.
func (l Line) Points() [][]coldchain.Reading {
	var lists [][]coldchain.Reading
	broken := true
	for _, s := range l {
		if s.Grade == GradeUnknown {
			broken = true
			continue
		}
		points := coldchain.PointsOf(s.source, s.Span)
		if broken {
			lists = append(lists, nil)
		}
		broken = false
		lists[len(lists)-1] = append(lists[len(lists)-1], points...)
	}
	return lists
}

// hours are the hours of a span with a grade.
func (l Line) hours(span coldchain.Span, grade Grade) float64 {
	var d time.Duration
	for _, s := range l {
		if part := s.Clip(span); s.Grade == grade && part.Len() > 0 {
			d += part.Len()
		}
	}
	return d.Hours()
}

// passes is when the hours above one of coldchain.Limits since a time pass so many; the zero time
// where they never do.
func (l Line) passes(since time.Time, limit, hours float64) time.Time {
	for _, s := range l {
		for _, part := range coldchain.Hours(s.Clip(coldchain.Span{From: since, To: s.To})) {
			if s.Grade == GradeUnknown && !s.Counts {
				continue
			}
			above := s.Exposure(part).HoursAbove(limit)
			if above > hours {
				lo, hi := time.Duration(0), part.Len()
				for hi-lo > time.Second {
					mid := (lo + hi) / 2
					if s.Exposure(coldchain.Span{From: part.From, To: part.From.Add(mid)}).HoursAbove(limit) > hours {
						hi = mid
					} else {
						lo = mid
					}
				}
				return part.From.Add(hi)
			}
			hours -= above
		}
	}
	return time.Time{}
}

// pace is how slowly fish follows what is around it: as that is warmer, and as it is colder. The
// unfavourable ends of what is not known exactly are taken.
type pace struct {
	warm, cool time.Duration
	direct     bool // an instrument says how warm the fish is
}

// What the heat model does not know exactly: the surface coefficient, and the thickness that was
// guessed from the weight, or measured on one fish of a lot (house).
const (
	spreadOfH        = 0.25
	spreadOfGuess    = 0.15
	spreadOfMeasured = 0.05
)

// paceIn is the pace of a piece of the lot at a surface coefficient.
func (t assessor) paceIn(p piece.Piece, h float64) pace {
	spread := spreadOfGuess
	if t.state.ThicknessMeasured() {
		spread = spreadOfMeasured
	}
	of := func(thickness, h float64) time.Duration {
		tau, err := heat.TimeConstant(heat.Of(t.state.Species()), p.Shape, thickness*p.ThicknessMM/1000, h)
		if err != nil {
			return 0 // a species whose flesh is not known follows at once
		}
		return tau
	}
	return pace{warm: of(1-spread, (1+spreadOfH)*h), cool: of(1+spread, (1-spreadOfH)*h)}
}

// atOnce is a pace of fish that is as warm as what is around it from the first minute, and cools
// as it does otherwise.
func (p pace) atOnce() pace { return pace{cool: p.cool} }

// touched is a pace of fish that an instrument touches.
func (p pace) touched() pace { return pace{cool: p.cool, direct: true} }

// around is a stretch of what surrounds the fish.
type around struct {
	Segment
	pace
}

// follow draws the temperature line from a time to the moment of the assessment.
func (t *assessor) follow(from time.Time) {
	var bare []around // what no heat model follows
	last := t.coreBefore(from)
	t.eachLeg(coldchain.Span{From: from, To: t.at}, func(l leg) {
		segments := t.conditions(l)
		stay, thawing := frozenStayAt(t.state, l.From)
		switch {
		case stay != nil:
			t.line, bare = append(t.line, t.lagging(bare)...), nil
			b := t.freeze(l, segments, stay, thawing)
			if n := len(b.line.Readings); n > 0 {
				last = &b.line.Readings[n-1].Celsius
				t.curves = append(t.curves, b.line.Readings)
			}
			t.fish = append(t.fish, b)
			t.line = append(t.line, frozenLine(b, segments, thawing)...)
		case t.env.Bare || !t.state.Species().Fish(): // no heat model is known of it
			bare = append(bare, segments...)
		default:
			followed, points := t.fishIn(segments, last, t.state.CoreReadings)
			t.line, last = append(t.line, followed...), &points[len(points)-1].Celsius
			if slices.ContainsFunc(segments, func(s around) bool { return s.warm > 0 }) {
				t.curves = append(t.curves, points)
			}
		}
	})
	t.line = t.explained(t.warmCores(append(t.line, t.lagging(bare)...)))
	for i := range t.line {
		whole := t.line[i].Exposure(t.line[i].Span)
		t.line[i].whole = &whole
	}
}

// until is the line up to a time.
func (l Line) until(at time.Time) Line {
	var short Line
	for _, s := range l {
		if s.To.After(at) {
			s.To, s.whole = at, nil
		}
		if s.Len() > 0 {
			short = append(short, s)
		}
	}
	return short
}

// lineFrom is where the line of a lot begins: at its death as far as that is known, when it was sent
// off or looked at on a market, or at its receipt.
func lineFrom(s *lot.State) time.Time {
	from := s.Start()
	if sent := s.Received.DispatchedAt; sent != nil {
		from = earlierOf(from, *sent)
	}
	for _, i := range s.Inspections {
		if i.SeenAt != nil {
			from = earlierOf(from, *i.SeenAt)
		}
	}
	return from
}

// coreBefore is the core that was measured shortly before a time; nil for none.
func (t assessor) coreBefore(at time.Time) *float64 {
	for _, x := range slices.Backward(t.state.CoreReadings) {
		if !x.At.After(at) {
			if at.Sub(x.At) <= CoreReadingGap {
				return &x.Celsius
			}
			break
		}
	}
	return nil
}

// fishIn lets the fish follow its surroundings through a leg, from its temperature before; where
// that is not known it is as warm as they are. It returns the points of its curve too.
func (t assessor) fishIn(segments []around, start *float64, cores []coldchain.Reading) (line Line, points []coldchain.Reading) {
	if start == nil {
		first := segments[0].Exposure(coldchain.Hours(segments[0].Span)[0]).Mean()
		start = &first
	}
	now := *start
	for len(segments) > 0 {
		n := slices.IndexFunc(segments, func(s around) bool { return s.direct != segments[0].direct })
		if n < 0 {
			n = len(segments)
		}
		alike := segments[:n]
		segments = segments[n:]
		if alike[0].direct {
			for _, s := range alike {
				var own Line
				own, now = s.measured(now, readingsIn(cores, s.Span))
				line = append(line, own...)
			}
			continue
		}
		own := followed(now, alike, cores)
		curve := coldchain.Series{Readings: own, MaxGap: alike[n-1].To.Sub(alike[0].From) + time.Hour}
		for _, s := range alike {
			seg := s.Segment
			seg.source = curve
			if s.warm == 0 {
				seg.source = coldchain.Warmer{A: s.source, B: curve}
			}
			if s.Grade == GradeUnknown && !s.Counts {
				line = append(line, seg.whileWarm(own, s.Exposure(s.Span).Max)...)
				continue
			}
			line = append(line, seg)
		}
		points, now = append(points, own...), own[len(own)-1].Celsius
	}
	return line, append(points, coldchain.Reading{At: line[len(line)-1].To, Celsius: now})
}

// whileWarm lets fish that came into a stretch without a record warmer than what may be assumed there
// count for as long as it would take to cool to that: less record is never safer.
func (s Segment) whileWarm(curve []coldchain.Reading, assumed float64) Line {
	until := s.From
	for _, x := range curve {
		if !x.At.Before(s.From) && !x.At.After(s.To) && x.Celsius > assumed+cooledDown {
			until = x.At
		}
	}
	warm, rest := s, s
	warm.To, warm.Counts, rest.From = until, true, until
	return slices.DeleteFunc(Line{warm, rest}, func(s Segment) bool { return s.Len() <= 0 })
}

// followed is the curve of fish that follows what surrounds it hour by hour.
func followed(start float64, segments []around, cores []coldchain.Reading) []coldchain.Reading {
	var steps []coldchain.Step
	for _, s := range segments {
		for _, part := range coldchain.Hours(s.Span) {
			steps = append(steps, coldchain.Step{Span: part, Celsius: rounded(s.Exposure(part).Mean()), Tau: s.cool, Warming: s.warm, WarmsAtOnce: s.warm == 0})
		}
	}
	return coldchain.Follow(start, steps, readingsIn(cores, coldchain.Span{From: segments[0].From, To: segments[len(segments)-1].To}))
}

// rounded takes away what a mean of equal numbers is off: what is steady at a limit is not above it.
func rounded(celsius float64) float64 { return math.Round(celsius*1e9) / 1e9 }

// cooledDown is how near fish that came warm is to what touches it when that stands for it, K.
const cooledDown = 0.05

// measured is the line of fish that an instrument touches: what that says; but while the fish is
// warmer, for it came so or its core was measured so, it cools towards the warmest of each hour.
func (s around) measured(now float64, cores []coldchain.Reading) (Line, float64) {
	var line Line
	joins := false // the last stretch is what the instrument says
	said := func(part coldchain.Span) {
		if joins {
			line[len(line)-1].To = part.To
			return
		}
		line, joins = append(line, s.during(part, s.source)), true
	}
	for _, part := range coldchain.Hours(s.Span) {
		for len(cores) > 0 && cores[0].At.Before(part.To) {
			before := coldchain.Span{From: part.From, To: cores[0].At}
			if before.Len() > 0 {
				said(before)
			}
			part.From, now, cores = cores[0].At, cores[0].Celsius, cores[1:]
		}
		if part.Len() <= 0 {
			continue
		}
		e := s.Exposure(part)
		if now <= e.Max+cooledDown {
			said(part)
			now = math.Inf(-1)
			continue
		}
		curve := coldchain.Follow(now, []coldchain.Step{{Span: part, Celsius: e.Max, Tau: s.cool}}, nil)
		line, joins = append(line, s.during(part, coldchain.Series{Readings: curve, MaxGap: time.Hour})), false
		now = curve[len(curve)-1].Celsius
	}
	if math.IsInf(now, -1) {
		hours := coldchain.Hours(s.Span)
		now = s.Exposure(hours[len(hours)-1]).Mean()
	}
	return line, now
}

// lagging is fishIn where no heat model can follow the fish.
func (t assessor) lagging(segments []around) Line {
	if len(segments) == 0 {
		return nil
	}
	span := coldchain.Span{From: segments[0].From, To: segments[len(segments)-1].To}
	stretches := make([]coldchain.Lagging, len(segments))
	line := make(Line, len(segments))
	for i, s := range segments {
		stretches[i] = coldchain.Lagging{Points: coldchain.PointsOf(s.source, s.Span), Air: s.Grade == GradeLogged && s.warm > 0}
		line[i] = s.Segment
	}
	points := coldchain.Lag(stretches, readingsIn(t.state.CoreReadings, span), inHours(t.env.Profile.Grades.CheckedHours))
	curve := coldchain.Series{Readings: points, MaxGap: span.Len() + time.Hour}
	for i := range line {
		line[i].source = curve
	}
	return line
}

// frozenLine is the line of fish that lies frozen, or thaws, as the heat model follows it.
func frozenLine(b body, segments []around, thawing bool) Line {
	var line Line
	for _, s := range segments {
		seg := s.Segment
		switch {
		case len(b.line.Readings) == 0:
			seg.Grade = GradeUnknown
		case thawing && seg.Grade == GradeExposed:
			soft := softFrom(b.line, s.Span)
			if soft.After(s.From) {
				frozen := seg
				frozen.To, frozen.source = soft, b.line
				line = append(line, frozen)
			}
			seg.From, seg.source = soft, coldchain.Warmer{A: seg.source, B: b.line}
		default:
			seg.source = b.line
		}
		if seg.Len() > 0 {
			line = append(line, seg)
		}
	}
	return line
}

// softFrom is when a line is warmer than frozen fish for the first time in a span; its end where it
// never is.
func softFrom(line coldchain.Series, span coldchain.Span) time.Time {
	soft := span.To
	line.Walk(span, func(part coldchain.Span, a, b float64, _ bool) {
		if max(a, b) > freezing.SolidC && part.From.Before(soft) {
			soft = part.From
		}
	})
	return soft
}

// warmCores lets a core above the limit count back to the core before it, within the hours for
// which people's readings answer.
func (t assessor) warmCores(line Line) Line {
	limit := t.env.Profile.ChilledLimit(t.state.Species())
	for i, x := range t.state.CoreReadings {
		if x.Celsius <= limit || x.At.After(t.at) || !x.At.After(t.state.ReceivedAt) {
			continue
		}
		from := laterOf(x.At.Add(-inHours(t.env.Profile.Grades.CheckedHours)), t.state.ReceivedAt)
		if i > 0 {
			from = laterOf(from, t.state.CoreReadings[i-1].At)
		}
		line = line.with(coldchain.Span{From: from, To: x.At}, func(s Segment) Segment {
			if s.Grade == GradeUnknown && !s.Counts {
				s.source = coldchain.Steady(x.Celsius)
			} else {
				s.source = coldchain.Warmer{A: s.source, B: coldchain.Steady(x.Celsius)}
			}
			s.Grade, s.Source = GradeChecked, sourceCore
			return s
		})
	}
	return line
}

// with changes the stretches of a line within a span, which are cut at its ends.
func (l Line) with(span coldchain.Span, change func(Segment) Segment) Line {
	var out Line
	for _, s := range l {
		part := s.Clip(span)
		if part.Len() <= 0 {
			out = append(out, s)
			continue
		}
		for _, p := range []coldchain.Span{{From: s.From, To: part.From}, part, {From: part.To, To: s.To}} {
			if p.Len() <= 0 {
				continue
			}
			cut := s
			cut.Span = p
			if p == part {
				cut = change(cut)
			}
			out = append(out, cut)
		}
	}
	return out
}

// explained lets what a manager said of hours without a record count at the temperature that was
// named, and never below the warmer end of the gap.
func (t assessor) explained(line Line) Line {
	for _, said := range t.state.GapExplanations {
		answers := coldchain.Span{To: said.Until}
		if said.At.Before(said.Until) { // it says itself where it begins
			answers.From = said.At
		}
		var gaps []coldchain.Span
		for _, s := range line {
			if part := s.Clip(answers); s.Grade == GradeUnknown && part.Len() > 0 {
				gaps = coldchain.Join(gaps, part)
			}
		}
		warm := said.WarmHours
		for _, gap := range gaps {
			ends := line.ends(gap)
			put := func(span coldchain.Span, celsius float64) {
				line = line.with(span, func(s Segment) Segment {
					s.Grade, s.Source, s.source = GradeExplained, "a manager's explanation", coldchain.Steady(celsius)
					return s
				})
			}
			hot := gap
			switch {
			case said.WarmestC == nil:
				put(gap, ends)
				continue
			case said.WarmHours > 0:
				hot.To = earlierOf(gap.To, gap.From.Add(inHours(warm)))
				warm -= hot.Len().Hours()
			}
			if hot.Len() > 0 {
				put(hot, max(ends, *said.WarmestC))
			}
			if hot.To.Before(gap.To) {
				put(coldchain.Span{From: hot.To, To: gap.To}, ends)
			}
		}
	}
	return line
}

// ends is the warmer end of a gap; 0 °C where neither is known. How warm it was in a place that is
// not cooled says nothing of the place that it was brought to.
func (l Line) ends(gap coldchain.Span) float64 {
	warmest := 0.0
	for _, s := range l {
		if s.Grade == GradeUnknown || s.Grade == GradeExposed {
			continue
		}
		if s.To.Equal(gap.From) {
			warmest = max(warmest, s.Exposure(coldchain.Span{From: s.To.Add(-moment), To: s.To}).Max)
		}
		if s.From.Equal(gap.To) {
			warmest = max(warmest, s.Exposure(coldchain.Span{From: s.From, To: s.From.Add(moment)}).Max)
		}
	}
	return warmest
}

func earlierOf(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// iceH is the surface coefficient of melting ice, W/(m²·K).
func iceH() float64 {
	boxed, _ := icing.GetMethod("boxed")
	return boxed.H
}

// cooked is the line of cooked fish from the pan on: from the core that was measured then, through the
// places in which it lay, by the cores that were measured since.
func (t assessor) cooked() Line {
	var line Line
	last := t.state.Cooked.Data.CoreC
	t.eachLeg(coldchain.Span{From: t.state.Cooked.At, To: t.at}, func(l leg) {
		part, points := t.fishIn(t.conditions(l), &last, t.state.Cooled)
		line, last = append(line, part...), points[len(points)-1].Celsius
	})
	return line
}

// placesLine is the line of the places in which a lot lay since a time, whatever is known of the fish.
func (t assessor) placesLine(from time.Time) Line {
	var line Line
	t.eachLeg(coldchain.Span{From: from, To: t.at}, func(l leg) {
		for _, s := range t.conditions(l) {
			line = append(line, s.Segment)
		}
	})
	return t.explained(line)
}

// warmestAround is the warmest that was recorded around the fish in a span, °C.
func (t assessor) warmestAround(span coldchain.Span) float64 {
	e, _ := t.placesLine(span.From).Over(span)
	if e.Covered == 0 {
		return math.Inf(-1)
	}
	return e.Max
}
