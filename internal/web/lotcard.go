package web

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"rsc.io/qr"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
	"leancatch/internal/wording"
)

// cardView is the lot card, with a form that came back where one did.
type cardView struct {
	kitchen.Card
	Species    species.Species
	Line       template.HTML
	Ruler      template.HTML
	Fish       template.HTML     // as it looked when it was inspected last
	Requests   []kitchen.Request // what waits for a manager
	QR         template.HTML
	Places     []lot.Place
	form.Back                // of the kind of event whose form it is
	Do         string        // the kind of event whose form is opened by the address
	CanInspect bool          // a scheme fits
	Alike      []kitchen.Row // that it may be put together with
	Neighbours []kitchen.Neighbour
	Asked      *kitchen.Transfer        // that stands open: another kitchen asks for it
	Booked     []kitchen.LotReservation // the soonest first
	Costs      []kitchen.CostStep
	Clock      *clockView
	Harvest    *harvestView
	Oxygen     *oxygenView
	FrozenCard *frozenCard
	Cautions   []string
}

// Open reports whether the form of a kind of event stands open.
func (v cardView) Open(kind string) bool { return v.Is(kind) || v.Do == kind }

// Origins are where the fish may come from.
func (cardView) Origins() []form.Option {
	return []form.Option{{Name: "not known"}, {ID: string(lot.Wild), Name: "caught"}, {ID: string(lot.Farmed), Name: "farmed"}}
}

// Plans are the sampling plans of a histamine test.
func (v cardView) Plans() []form.Option {
	var list []form.Option
	for _, x := range v.Clock.Plans {
		list = append(list, form.Option{ID: x.ID, Name: fmt.Sprintf("%s: n %d, c %d, m %g, M %g", x.Name, x.N, x.C, x.M, x.MostM)})
	}
	return append(list, form.Option{ID: safety.OwnPlan, Name: "a stricter one, as entered here"})
}

// Freezers are the places to go back to.
func (v cardView) Freezers() []lot.Place {
	return slices.DeleteFunc(slices.Clone(v.Places), func(p lot.Place) bool { return !p.Freezer() })
}

// portionG is what a portion weighs where no dish says it (house).
const portionG = 150

// PortionG is that, PortionCost what one costs at a step of the lot's way to the plate, hundredths.
func (cardView) PortionG() int                          { return portionG }
func (cardView) PortionCost(c kitchen.CostStep) float64 { return c.PerKg * portionG / 1000 }

// Void is the voiding of an event, nil where it stands.
func (v cardView) Void(id uuid.UUID) *lot.Void { return v.State.Voids[id] }

// CanVoid reports whether an event may be voided.
func (v cardView) CanVoid(e kitchen.Entry) bool {
	_, voids := e.Payload.(lot.Voided)
	return v.State.Voids[e.ID] == nil && !voids && !e.Kind.Kept() && v.State.Status != lot.WasSplit
}

// CanCorrect reports whether an entry may be corrected.
func (v cardView) CanCorrect(e kitchen.Entry) bool { return canCorrect(v.State, e) }

// PlaceName is the name of the place where the lot lies.
func (v cardView) PlaceName() string { return v.Card.Places[v.State.Place()].Name }

// OnHand reports whether the lot is here.
func (v cardView) OnHand() bool { return v.State.Status == lot.OnHand }

// Assumed reports whether the temperature now is an assumption.
func (v cardView) Assumed() bool { return v.Assessment.NowKind == coldchain.Assumed }

// BasisText says in words what the age used rests on.
func (v cardView) BasisText() string {
	return map[freshness.Basis]string{
		freshness.BasisDeclared: "by its papers alone: not inspected",
		freshness.BasisRead:     "by the fish alone: no date on the label",
		freshness.BasisMean:     "papers and fish agree: weighted mean",
		freshness.BasisOlder:    "papers and fish disagree: the older, plus one standard deviation",
	}[v.Assessment.Basis]
}

// Band is the 95 % half band of the life left, fresh days.
func (v cardView) Band() float64 { return v.Assessment.Left.Band() }

// Rate reports whether there is a rate now.
func (v cardView) HasRate() bool { return v.Assessment.Rate > 0 }

func (s *Server) lotCard(c *gin.Context) {
	s.showCard(c, cardView{Do: c.Query("do")})
}

func (s *Server) showCard(c *gin.Context, v cardView) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var err error
	if v.Card, err = s.kitchen.Card(c.Request.Context(), id); err == nil {
		v.Requests, err = s.kitchen.RequestsOf(c.Request.Context(), v.State)
	}
	if err == nil && v.OnHand() {
		v.Alike, err = s.kitchen.Alike(c.Request.Context(), v.State)
	}
	if err == nil && v.OnHand() {
		err = s.around(c.Request.Context(), &v)
	}
	if err == nil {
		v.Costs, err = s.kitchen.CostSteps(c.Request.Context(), v.Card)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, v.State.Received.Code, "", nil)
	v.Species = v.State.Species()
	v.CanInspect = v.OnHand() && assess.CanInspect(v.State)
	v.Line = coldLine(p, v.Card).Draw()
	v.Clock, v.Harvest = newClock(p, v.Card), newHarvest(p, v.Card)
	v.Oxygen, v.Cautions = newOxygen(p, v.Card), v.Card.Cautions
	v.Fish = fishAsSeen(v.Card)
	v.Ruler = drawing.Ruler(v.Species.ShelfLife, v.Assessment.DeclaredAge, v.Assessment.ReadAge, v.Assessment.Gap)
	v.QR = qrCode(s.lotURL(c, p, id))
	for _, place := range v.Card.Places {
		if place.Elsewhere {
			continue
		}
		v.Places = append(v.Places, place)
	}
	sortPlaces(v.Places)
	v.FrozenCard = newFrozenCard(p, v.Card)
	p.Data = v
	s.show(c, v.Status(), "lot", p)
}

// around fills in what waits for the lot outside its own record: services, and other kitchens.
func (s *Server) around(ctx context.Context, v *cardView) (err error) {
	if v.Booked, err = s.kitchen.ReservedOf(ctx, v.State.ID); err != nil {
		return err
	}
	if v.Neighbours, err = s.kitchen.Neighbours(ctx); err != nil || len(v.Neighbours) == 0 {
		return err
	}
	transfers, err := s.kitchen.Transfers(ctx)
	for i, t := range transfers {
		if t.Side == "asked" && t.Open() && t.LotID != nil && *t.LotID == v.State.ID {
			v.Asked = &transfers[i]
		}
	}
	return err
}

// tracePoints are the points of a trace as the drawings take them.
func tracePoints(points []kitchen.TracePoint) []drawing.TracePoint {
	list := make([]drawing.TracePoint, len(points))
	for i, t := range points {
		list[i] = drawing.TracePoint(t)
	}
	return list
}

// coldLine gathers what the cold line shows.
func coldLine(p page, card kitchen.Card) drawing.ColdLine {
	a := card.Assessment
	limit := p.Profile.ChilledLimit(card.State.Species())
	l := drawing.ColdLine{From: a.From, To: a.At, Zone: p.Zone, Scale: p.Actor.Temps(),
		Spots: card.State.CoreReadings, Fish: a.OwnCurves,
		LimitC: limit, Limit: fmt.Sprintf("keep chilled: ≤ %s, %s", p.Temp(limit), p.Profile.Name)}
	for _, st := range a.Stretches {
		stage := drawing.Stage{Span: st.Span, Name: st.Name, AssumeC: st.Assumed}
		for _, part := range st.Parts {
			switch part.Kind {
			case coldchain.Assumed:
				stage.Assumed = part.Spans
			case coldchain.InIce:
				stage.Iced = part.Spans
			}
		}
		l.Stages = append(l.Stages, stage)
	}
	if card.State.Received.LabelDate.Known() && !card.State.Harvest.Known() {
		l.Marks = append(l.Marks, drawing.Mark{At: a.From, Label: card.State.Received.LabelDate.Means.Name()})
	}
	for _, e := range card.Entries {
		switch e.Payload.(type) {
		case lot.Voided, lot.Corrected, lot.Logger, lot.Temperature:
		default:
			l.Marks = append(l.Marks, drawing.Mark{At: e.HappenedAt, Label: e.Kind.Name(),
				Void: card.State.Voids[e.ID] != nil})
		}
	}
	slices.SortStableFunc(l.Marks, func(x, y drawing.Mark) int { return x.At.Compare(y.At) })
	l.Trace = tracePoints(card.Trace)
	l.Grades, l.Clocks = gradesAndClocks(a)
	return l
}

// gradesAndClocks are how well the line of a lot is known, and the clocks that run along it.
func gradesAndClocks(a assess.Assessment) (grades []drawing.GradeSpan, clocks []drawing.ClockRow) {
	for _, s := range a.Line {
		if n := len(grades); n > 0 && grades[n-1].Grade == string(s.Grade) && grades[n-1].Source == s.Source {
			grades[n-1].To = s.To
			continue
		}
		grades = append(grades, drawing.GradeSpan{Span: s.Span, Grade: string(s.Grade), Source: s.Source})
	}
	for _, c := range a.Courses() {
		clocks = append(clocks, drawing.ClockRow{Name: c.ID.Name(), From: c.From, Counted: c.Counted, Unknown: c.Unknown, Share: c.Share,
			State: string(c.State)})
	}
	return grades, clocks
}

// qrCode draws the code that leads to the lot, as SVG.
func qrCode(text string) template.HTML {
	code, err := qr.Encode(text, qr.M)
	if err != nil {
		return ""
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg class="qr" viewBox="-2 -2 %d %d" role="img" aria-label="QR code of this lot" `+
		`shape-rendering="crispEdges"><path d="`, code.Size+4, code.Size+4)
	for y := range code.Size {
		for x := range code.Size {
			if code.Black(x, y) {
				fmt.Fprintf(&b, "M%d %dh1v1h-1z", x, y)
			}
		}
	}
	b.WriteString(`"/></svg>`)
	return template.HTML(b.String())
}

// lotEvent takes a form of the lot card in. A form that somebody else's event
// has overtaken comes back with that event, to be decided again.
func (s *Server) lotEvent(c *gin.Context) {
	kind := lot.Kind(c.Param("kind"))
	f := posted(c)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f.form = string(kind)
	w := kitchen.Write{EventID: f.UUID("event_id_new"), LotID: id, HappenedAt: f.AtOr("happened_at", s.kitchen.Now())}
	w.Seen, _ = strconv.Atoi(f.Text("seen"))
	switch read := entryForms[kind]; {
	case read != nil:
		w.Payload = read(f, w.HappenedAt)
	case kind == lot.KindFor[lot.Split]():
		s.split(c, f, w)
		return
	case kind == lot.KindFor[lot.Merged]():
		in := kitchen.PutTogether{EventID: w.EventID, LotID: id, Seen: w.Seen, HappenedAt: w.HappenedAt}
		in.With, _ = uuid.Parse(f.MustChoose("with", "choose the other lot"))
		s.postEvent(c, f, func(ctx context.Context) error { return s.kitchen.Merge(ctx, in) })
		return
	case kind == lot.KindFor[lot.Sent]():
		s.send(c, f, w)
		return
	case kind == lot.KindFor[lot.Complaint]():
		card, err := s.kitchen.Card(c.Request.Context(), id)
		if err != nil {
			s.fail(c, err)
			return
		}
		w.Payload = f.complaint(card.State)
	default:
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	if kind == lot.KindFor[lot.Voided]() {
		f.form += "-" + f.Text("event_id")
	}
	if kind == lot.KindFor[lot.Temperature]() {
		if err := s.askOddCore(c, f, id); err != nil {
			s.fail(c, err)
			return
		}
	}
	s.postEvent(c, f, func(ctx context.Context) error {
		err := s.kitchen.Append(ctx, w)
		if err == nil && kind != lot.KindFor[lot.Voided]() {
			s.offerUndo(c, kind.Name(), map[uuid.UUID]uuid.UUID{id: w.EventID})
		}
		return err
	})
}

// askOddCore asks once about the core of raw fish that is far over its limit.
func (s *Server) askOddCore(c *gin.Context, f *input, id uuid.UUID) error {
	core := f.Cooked("celsius")
	if core == nil {
		return nil
	}
	row, err := s.kitchen.Row(c.Request.Context(), id)
	if err != nil || row.FrozenStatus != nil && row.FrozenStatus.Stage == assess.StageCooked {
		return err
	}
	f.odd("celsius", *core-f.actor.Profile().ChilledLimit(row.Species))
	return nil
}

// postEvent ends a form of the lot's card.
func (s *Server) postEvent(c *gin.Context, f *input, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) {
		to := "/lots/" + c.Param("id")
		switch f.Text("next") {
		case "/due": // done from the list of what is due
			to = "/due"
		case "label":
			to += "/label"
		}
		return to, do(ctx)
	}, func(back form.Back) {
		if f.Text("next") == "/due" {
			back.Came = "core-" + c.Param("id")
			s.showDue(c, back)
			return
		}
		s.showCard(c, cardView{Back: back})
	})
}

// split takes in the form that splits a lot in two.
func (s *Server) split(c *gin.Context, f *input, w kitchen.Write) {
	in := kitchen.NewSplit{EventID: w.EventID, LotID: w.LotID, Seen: w.Seen, HappenedAt: w.HappenedAt}
	for i := range 2 {
		name := func(field string) string { return fmt.Sprintf("part-%d-%s", i, field) }
		part := lot.SplitLot{Count: f.MustWhole(name("count")), WeightKg: f.MustMass(name("weight_kg"))}
		for _, n := range strings.Fields(f.Text(name("fish"))) {
			if fish, err := strconv.Atoi(n); err == nil {
				part.Fish = append(part.Fish, fish)
			}
		}
		if f.Text(name("goes")) == "back" {
			if part.Refused = f.Text(name("reason")); part.Refused == "" {
				f.Bad.Add(name("reason"), "say why it goes back")
			}
		}
		in.Parts = append(in.Parts, part)
	}
	s.postEvent(c, f, func(ctx context.Context) error {
		err := s.kitchen.Split(ctx, in)
		var bad invalid.Errors
		if errors.As(err, &bad) { // the core counts parts as parts[0].count
			for i := range bad {
				bad[i].Field = strings.NewReplacer("parts[", "part-", "].", "-").Replace(bad[i].Field)
			}
			return bad
		}
		return err
	})
}

// ProposedSplit proposes the two parts of the form that splits the lot: by the last
// inspection, or one fish taken off.
func (v cardView) ProposedSplit() []lot.SplitLot {
	if parts, ok := lot.ProposeSplit(v.State); ok {
		return parts
	}
	r := v.State.Received
	one := r.WeightKg / float64(max(r.Count, 1))
	return []lot.SplitLot{{Count: r.Count - 1, WeightKg: r.WeightKg - one}, {Count: 1, WeightKg: one}}
}

// Goes is what may become of a part.
func (cardView) Goes() []form.Option {
	return []form.Option{{ID: "stays", Name: "Stays"}, {ID: "back", Name: "Goes back"}}
}

// SplitVal is what is proposed for a field of a part.
func (v cardView) SplitVal(p page, i int, field string) string {
	part := v.ProposedSplit()[i]
	switch field {
	case "count":
		return strconv.Itoa(part.Count)
	case "weight_kg":
		return p.MassField(part.WeightKg)
	case "fish":
		return strings.Trim(fmt.Sprint(part.Fish), "[]")
	case "goes":
		if part.Refused != "" {
			return "back"
		}
		return "stays"
	}
	return part.Refused
}

// Real writes the life left in real days at the temperature now.
func (v cardView) Real() string {
	if math.IsNaN(v.Assessment.RealDays) {
		return "—"
	}
	return days(v.Assessment.RealDays)
}

// CelsiusOr writes a temperature for a field.
func (p page) CelsiusOr(c *float64) string {
	if c == nil {
		return ""
	}
	return unit.FormatTemp(*c, p.Actor.Temps())
}

// Packing is how it is packed, in words; "" where nobody said.
func (v cardView) Packing() string {
	if x, ok := v.State.Packing(); ok {
		return wording.Packing(x)
	}
	return ""
}

// Running are the clocks of the lot that run or close something, those that close most first.
func (v cardView) Running() []assess.Reading {
	list := slices.DeleteFunc(slices.Clone(v.Assessment.Clocks), func(r assess.Reading) bool {
		return len(r.Guards) == 0 && math.IsNaN(r.Share)
	})
	slices.SortStableFunc(list, func(a, b assess.Reading) int { return len(b.Guards) - len(a.Guards) })
	return list
}

// Meters are the clocks with the largest shares, for the first screen.
func (v cardView) Meters() []assess.Reading {
	list := slices.DeleteFunc(v.Running(), func(r assess.Reading) bool { return math.IsNaN(r.Share) || r.Share == 0 })
	slices.SortStableFunc(list, func(a, b assess.Reading) int { return cmp.Compare(b.Share, a.Share) })
	return list[:min(3, len(list))]
}

// EndedBy is what ends a stop; "" for nothing.
func (v cardView) EndedBy(stop string) string {
	for _, r := range v.Assessment.Clocks {
		if r.Why == stop {
			return r.EndedBy
		}
	}
	return ""
}

// ClockTag is what a clock says in short.
func (cardView) ClockTag(r assess.Reading) map[string]any {
	state, word := r.State, map[safety.State]string{safety.StateOK: "in order", safety.StateWarn: "near its limit"}[r.State]
	if closes := r.Closes(); closes != "" {
		word = "closes " + closes
		if state == safety.StateOK {
			state = safety.StateWarn
		}
	}
	if state == safety.StateUnknown {
		word = "record missing: " + word
	}
	return map[string]any{"State": state, "Word": word}
}

// Metered reports whether a clock has a budget to draw.
func (cardView) Metered(r assess.Reading) bool { return !math.IsNaN(r.Share) }

// EndUses are what some of it may be taken for.
func (cardView) EndUses() []lot.EndUse { return lot.EndUses }

// WasteReasons are why some of it may be thrown away.
func (cardView) WasteReasons() []lot.WasteReason { return lot.WasteReasons }

// Origin is where the fish comes from, as it was declared; "" where nobody did.
func (v cardView) Origin() string { return wording.Origin(v.State.Declared) }

// Hours are those of the cold line whose temperature is known by one method.
func (v cardView) Hours(kind string) float64 { return v.Assessment.Hours[coldchain.Kind(kind)] }

func sortPlaces(places []lot.Place) {
	slices.SortFunc(places, func(a, b lot.Place) int { return int(a.ID - b.ID) })
}

// Tag says what the harvester's tag of shells is, and how long it is kept; "" where there is none.
func (v cardView) Tag(p page) string {
	tag := v.State.Received.Tag
	switch {
	case tag == "":
		return ""
	case v.OnHand():
		return fmt.Sprintf("Harvester's tag %s: keep it with them, and %d days after the last is gone.", tag, lot.TagDays)
	}
	return fmt.Sprintf("Harvester's tag %s: keep it until %s.", tag, p.Day(v.State.EndedAt.In(p.Zone).AddDate(0, 0, lot.TagDays)))
}
