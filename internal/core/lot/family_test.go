package lot_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
)

// family is a lot with all that was cut of it, and of that in turn.
type family struct {
	t      *testing.T
	r      *rand.Rand
	lots   []*member
	merged int
}

type member struct {
	h       *lottest.History
	parent  *member
	cut     uuid.UUID // of the parent
	part    int
	written []lot.Event // what may be cancelled or corrected
}

// any picks a member that is on hand, nil for none.
func (f *family) any() *member {
	var list []*member
	for _, m := range f.lots {
		if m.h.Fold(f.t).Status == lot.OnHand {
			list = append(list, m)
		}
	}
	if len(list) == 0 {
		return nil
	}
	return list[f.r.IntN(len(list))]
}

func (f *family) take() lot.Taken {
	take := lot.Taken{EndUse: lot.EndUses[f.r.IntN(len(lot.EndUses))], Count: f.r.IntN(2) * f.r.IntN(4),
		WeightKg: float64(f.r.IntN(2)) * f.grams(2.5)}
	if take.EndUse == lot.UsedWaste {
		take.Reason = lot.WasteTrim
	}
	return take
}

// grams is a random weight below a limit, kg, as a scale shows it.
func (f *family) grams(most float64) float64 { return math.Round(1000*most*f.r.Float64()) / 1000 }

// draw is a random cut of a lot.
func (f *family) draw(s *lot.State) lot.Cut {
	n := 1 + f.r.IntN(s.Count)
	in := math.Round(1000*s.WeightKg*float64(n)/float64(s.Count)) / 1000
	c := lot.Cut{Count: n, WeightKg: in, Missing: true}
	parts, left := cutting.PartsOf(s.Species(), s.Form), in
	if len(parts) == 0 {
		return c
	}
	for range 1 + f.r.IntN(4) {
		x := parts[f.r.IntN(len(parts))]
		to := cutting.Destinations[f.r.IntN(len(cutting.Destinations))]
		if x.ID == cutting.Waste {
			to = cutting.ToBin
		}
		p := part(x.ID, 1+f.r.IntN(2), f.grams(left), to)
		left -= p.WeightKg
		c.Parts = append(c.Parts, p)
	}
	return c
}

// step lets one thing happen to one of them; false where it was not let in.
func (f *family) step(hours float64) bool {
	m := f.any()
	if m == nil {
		return false
	}
	s := m.h.Fold(f.t)
	admitted := func(p lot.Payload) bool {
		return len(refusal(s, facts(hours), hours, p)) == 0
	}
	old := func() *lot.Event {
		if len(m.written) == 0 {
			return nil
		}
		return &m.written[f.r.IntN(len(m.written))]
	}
	var p lot.Payload = f.take()
	switch x := old(); f.r.IntN(12) {
	case 0:
		p = lot.NotFound{WeightKg: f.grams(1)}
	case 1:
		p = lot.Left{EndUse: lot.UsedCooked}
	case 2:
		if x != nil {
			p = lot.Voided{EventID: x.ID, Reason: "a slip"}
		}
	case 3:
		if x != nil && x.Kind == lot.KindFor[lot.Taken]() {
			p = correction(f.t, *x, f.take())
		}
	case 4, 5, 6:
		return f.knife(m, s, hours)
	case 7:
		return f.mend(m, hours)
	case 8, 9, 10:
		return f.merge(m, s, hours)
	}
	if !admitted(p) {
		return false
	}
	e, done := f.write(m, hours, p)
	switch p.(type) {
	case lot.Taken, lot.NotFound, lot.Left:
		if done {
			m.written = append(m.written, e)
		}
	}
	return done
}

// write writes down what happened to a lot, and lets what was cut of it follow where that changes it; nothing is
// written where something of that cannot be.
func (f *family) write(m *member, hours float64, p lot.Payload) (lot.Event, bool) {
	lengths := map[*member]int{}
	for _, x := range f.lots {
		lengths[x] = len(x.h.Events)
	}
	e := m.h.Add(hours, p)
	if f.follow(m, hours) {
		return e, true
	}
	for x, n := range lengths {
		x.h.Events = x.h.Events[:n]
	}
	return e, false
}

// knife cuts a lot.
func (f *family) knife(m *member, s *lot.State, hours float64) bool {
	in, err := lot.Admit(s, facts(hours), lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, f.draw(s))
	if err != nil {
		return false
	}
	cut := in.Payload.(lot.Cut)
	e := m.h.Add(hours, cut)
	for i, p := range cut.Parts {
		if p.To.Leaves() {
			continue
		}
		own := &lottest.History{ID: p.LotID}
		own.Add(0, lot.InheritCut(s, e.Hash, e, cut, i))
		own.Events[0].HappenedAt = e.HappenedAt
		f.lots = append(f.lots, &member{h: own, parent: m, cut: e.ID, part: i})
	}
	return true
}

// merge puts another of them together with a lot.
func (f *family) merge(m *member, s *lot.State, hours float64) bool {
	for _, x := range f.lots {
		other := x.h.Fold(f.t)
		if x == m || other.Status != lot.OnHand {
			continue
		}
		merged, put, err := lot.Merge(s, other, nil)
		if err != nil || len(refusal(s, facts(hours), hours, merged)) > 0 || len(refusal(other, facts(hours), hours, put)) > 0 {
			continue
		}
		m.h.Add(hours, merged)
		x.h.Add(hours, put)
		f.merged++
		return true
	}
	return false
}

// mend weighs a part of a cut again: what went wrong on the scale is corrected in the lot that was cut, and what
// came of it follows; none of it where something of that cannot be.
func (f *family) mend(m *member, hours float64) bool {
	if m.parent == nil {
		return false
	}
	whole := m.parent.h.Fold(f.t)
	i := slices.IndexFunc(whole.Cuts, func(c lot.CutMade) bool { return c.EventID == m.cut })
	cut := whole.Cuts[i].Cut
	cut.Parts = slices.Clone(cut.Parts)
	cut.Parts[m.part].WeightKg = f.grams(2 * cut.Parts[m.part].WeightKg)
	in, err := lot.Admit(whole, facts(hours), lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, correction(f.t, lot.Event{ID: m.cut}, cut))
	if err != nil {
		return false
	}
	_, done := f.write(m.parent, hours, in.Payload)
	return done
}

// follow lets all that was cut of a lot follow a correction; false where that cannot be.
func (f *family) follow(m *member, hours float64) bool {
	known := facts(hours)
	known.FollowsCut = true
	for _, x := range f.lots {
		if x.parent != m {
			continue
		}
		s := x.h.Fold(f.t)
		p, changed, err := lot.FollowCut(s, m.h.Fold(f.t), x.cut, x.part)
		if err != nil {
			f.t.Fatal(err)
		}
		if !changed {
			continue
		}
		if len(refusal(s, known, hours, p)) > 0 {
			return false
		}
		x.h.Add(hours, p)
		if !f.follow(x, hours) {
			return false
		}
	}
	return true
}

// Through any history of takes, cuts and corrections that is let in, what came is what left and what is left, to the
// gram: with what a cut lost, which is never less than nothing. What it cost is conserved likewise.
func TestMassIsConserved(t *testing.T) {
	const histories, steps = 2000, 14
	r := rand.New(rand.NewPCG(23, 1))
	taken, ended, cuts, mended, merged := 0, 0, 0, 0, 0
	for n := range histories {
		f := &family{t: t, r: r, lots: []*member{{h: received()}}}
		for step := range steps {
			if !f.step(float64(step + 1)) {
				continue
			}
			kg, cents := 0.0, 0.0
			for _, m := range f.lots {
				s := m.h.Fold(t)
				if s.Status == lot.OnHand {
					kg, cents = kg+s.WeightKg, cents+s.CostCents
				}
				for _, x := range s.Exits {
					if x.Kg < 0 || x.Count < 0 {
						t.Fatalf("history %d: less than nothing left: %+v", n, x)
					}
					kg, cents = kg+x.Kg, cents+x.Cents
				}
				for _, c := range s.Cuts {
					out := 0.0
					for _, p := range c.Parts {
						out += p.WeightKg
					}
					if loss := c.Kg - out; loss < -0.005*float64(len(c.Parts)+1)-0.021*c.Kg {
						t.Fatalf("history %d: of %.3f kg came %.3f", n, c.Kg, out)
					}
					kg += c.Kg - out
				}
				if s.WeightKg < 0 || s.Count < 1 {
					t.Fatalf("history %d: %d fish of %.4f kg", n, s.Count, s.WeightKg)
				}
			}
			if math.Abs(kg-8) > 1e-9 {
				t.Fatalf("history %d, step %d: of 8 kg there are %.4f in %d lots", n, step, kg, len(f.lots))
			}
			if math.Abs(cents-12200) > 1e-6 {
				t.Fatalf("history %d, step %d: of 122.00 in money there are %.2f", n, step, cents/100)
			}
		}
		merged += f.merged
		for _, m := range f.lots {
			s := m.h.Fold(t)
			taken, cuts, mended = taken+len(s.Exits), cuts+len(s.Cuts), mended+len(s.Corrections)
			if s.Status != lot.OnHand {
				ended++
			}
		}
	}
	if taken < 3*histories || ended < histories/4 || cuts < histories || mended < histories/10 || merged < histories/50 {
		t.Errorf("%d taken, %d ended, %d cuts, %d corrections, %d put together: the test sees too little", taken, ended, cuts, mended, merged)
	}
}
