package web

import (
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

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/portion"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/core/yield"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// cutView is fish on the chopping board.
type cutView struct {
	kitchen.CutPlan
	Rows   []cutRow
	Fish   template.HTML
	Places []lot.Place
	Marked *marked
	Clean  string // why the boards are to be cleaned down first; "" where they need not be
	Added  int    // the row that was added, which has the focus; −1 for none
	form.Back
}

// cutRow is a part with its fields.
type cutRow struct {
	N    int
	Part cutting.Part
	Kg   float64 // as weighed, or by its usual share
	Est  bool
	Cost string // a kilogram of it
}

// marked is where to cut for portions.
type marked struct {
	Pieces []portion.Piece
	RestG  float64
}

// mostParts bounds the rows of the form.
const mostParts = 40

// Field names a field of a row.
func (cutView) Field(n int, name string) string { return fmt.Sprintf("part-%d-%s", n, name) }

// Destinations are where a part may go.
func (cutView) Destinations(part cutting.Part) []cutting.Destination {
	if part.ID == cutting.Waste {
		return []cutting.Destination{cutting.ToBin}
	}
	return cutting.Destinations
}

// Policies are those of the bench.
func (cutView) Policies() []cutting.Policy { return cutting.Policies }

// Whitenesses and FrameChecks are what the first cut and the frame may show.
func (cutView) Whitenesses() []lot.Choice { return lot.Whitenesses }
func (cutView) FrameChecks() []lot.Choice { return lot.FrameChecks }

// Cards are the cutting cards of the species.
func (v cutView) Cards() []cutting.Card { return cutting.CardsFor(v.Species.ID) }

// PartName is a part in words.
func (cutView) PartName(form string) string { return strings.ToLower(lot.FormName(form)) }

// MoreOpen reports whether something is filled in of what is folded away.
func (v cutView) MoreOpen() bool {
	for _, field := range []string{"whiteness", "frame_check", "minutes", "rinsed", "happened_at", "note"} {
		if v.Val(field) != "" || v.Errors.On(field) != "" {
			return true
		}
	}
	return false
}

// Boneable reports whether bones are felt for in a part.
func (cutView) Boneable(p cutting.Part) bool { return boneable(p.ID) }

func boneable(form string) bool {
	part, _ := cutting.GetPart(form)
	return part.Slab && part.Usable
}

// Cm is a length in centimetres.
func (cutView) Cm(mm float64) string { return fmt.Sprintf("%.1f", mm/10) }

// PerPortion is what a portion of the main part costs, "" where nobody knows.
func (v cutView) PerPortion(p page) string {
	for i, part := range v.Cut.Parts {
		if v.Costs == nil || part.Form != v.Main || part.Count == 0 || part.WeightKg == 0 {
			continue
		}
		each := v.Costs[i] / float64(part.Count)
		return fmt.Sprintf("%s a piece of %s", p.Cost(each), p.Mass(part.WeightKg/float64(part.Count)))
	}
	return ""
}

// AsUsual is the kitchen's usual way of a policy.
func (cutView) AsUsual(p page, policy cutting.Policy) string {
	for _, c := range policy.Choices {
		if c.ID == p.Actor.Site.Policy(policy.ID) {
			return "as usual: " + c.Name
		}
	}
	return "as usual"
}

// Pieces is what stands in the empty field of how many: as many as the fish have, where they have a number of them.
func (v cutView) Pieces(part cutting.Part) string {
	if n := part.PerFish * v.Cut.Count; n > 0 {
		return strconv.Itoa(n)
	}
	return "pieces"
}

// HasPart reports whether a part is among the rows.
func (v cutView) HasPart(id string) bool {
	return slices.ContainsFunc(v.Rows, func(r cutRow) bool { return r.Part.ID == id })
}

// Asks reports whether the form has to ask something before it is taken.
func (v cutView) Asks(field string) bool { return v.Wrong.On(field) != "" || v.Val(field) != "" }

// Bar is the yield of the main part so far beside what is expected of it; nil where there is none.
func (v cutView) Bar() *yieldBar {
	if v.Main == "" || v.Expected.Pooled == nil {
		return nil
	}
	e := v.Expected.Next(v.Cut.CutterID, v.State.Received.SupplierID, v.Cut.Count)
	b := newYieldBar(strings.ToLower(lot.FormName(v.Main)), e)
	b.Got = v.Got
	b.scale()
	return b
}

// yieldBar is a yield with its band, on a scale.
type yieldBar struct {
	Name                      string
	Lo, Mid, Hi, Got          float64
	From, To                  float64 // of the scale
	Few                       bool
	Cuts                      int    // that tell of the cutter
	LoAt, Width, MidAt, GotAt string // places on the scale
	Words                     string
}

func newYieldBar(name string, e yield.Estimate) *yieldBar {
	return &yieldBar{Name: name, Lo: e.Lo, Mid: e.Mid, Hi: e.Hi, Few: e.Few(), Cuts: e.Cuts}
}

// scale puts the bar on a scale of its own, and says it in words.
func (b *yieldBar) scale() {
	b.From, b.To = math.Max(0, b.Lo-0.1), math.Min(1.05, b.Hi+0.1)
	if b.Got > 0 {
		b.From, b.To = math.Min(b.From, math.Max(0, b.Got-0.03)), math.Max(b.To, b.Got+0.03)
	}
	b.place(b.From, b.To)
	switch {
	case b.Got == 0:
		b.Words = fmt.Sprintf("usually %.0f %%, between %.0f and %.0f", 100*b.Mid, 100*b.Lo, 100*b.Hi)
	case b.Got < b.Lo:
		b.Words = fmt.Sprintf("%.1f %%: less than usual (%.0f–%.0f)", 100*b.Got, 100*b.Lo, 100*b.Hi)
	case b.Got > b.Hi:
		b.Words = fmt.Sprintf("%.1f %%: more than usual (%.0f–%.0f)", 100*b.Got, 100*b.Lo, 100*b.Hi)
	default:
		b.Words = fmt.Sprintf("%.1f %%, as usual (%.0f–%.0f)", 100*b.Got, 100*b.Lo, 100*b.Hi)
	}
	if b.Few {
		b.Words += "; too few cuts to tell this cutter's own"
	}
}

// place puts the bar on a scale.
func (b *yieldBar) place(from, to float64) {
	b.From, b.To = from, to
	at := func(x float64) string { return pct(1000 * (x - from) / (to - from)) }
	b.LoAt, b.Width, b.MidAt, b.GotAt = at(b.Lo), pct(1000*(b.Hi-b.Lo)/(to-from)), at(b.Mid), at(b.Got)
}

// cut reads the form.
func (f *input) cut(parts int) lot.Cut {
	c := lot.Cut{WeightKg: f.MassOrNone("weight_kg"), CutterID: f.ID("cutter_id"), Whiteness: lot.Whiteness(f.Text("whiteness")),
		Frame: lot.FrameCheck(f.Text("frame_check")), Rinsed: f.Has("rinsed"), Missing: f.Has("missing"), Rigor: f.Has("in_rigor"),
		Note: f.Text("note")}
	if n := f.Whole("count"); n != nil {
		c.Count = *n
	}
	if m := f.Number("minutes", "min"); m != nil {
		c.Minutes = *m
	}
	if p := f.policies(); len(p) > 0 {
		c.Policies = p
	}
	for i := range parts {
		of := func(name string) string { return cutView{}.Field(i, name) }
		p := lot.CutPart{Form: f.Text(of("form")), WeightKg: f.MassOrNone(of("kg")), To: cutting.Destination(f.Text(of("to"))),
			PlaceID: f.ID(of("place_id")), Boneless: f.Has(of("boneless"))}
		if n := f.Whole(of("count")); n != nil {
			p.Count = *n
		}
		c.Parts = append(c.Parts, p)
	}
	return c
}

func (s *Server) cutForm(c *gin.Context) { s.showCut(c, form.Back{}, -1) }

func (s *Server) showCut(c *gin.Context, back form.Back, added int) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	p := s.page(c, "Cut", "bench", nil)
	p.InForm = true
	v := cutView{Back: back, Added: added}
	if v.Values == nil {
		v.Values = map[string][]string{}
	}
	f := inputOf(c, v.Values)
	n := min(max(int(f.ID("parts")), 0), mostParts)
	cut := f.cut(n)
	plan, err := s.kitchen.PlanCut(c.Request.Context(), id, cut)
	if err != nil {
		s.fail(c, err)
		return
	}
	v.CutPlan = plan
	if v.Places, err = s.kitchen.PlaceList(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	for i, part := range v.Cut.Parts {
		row := cutRow{N: i, Kg: part.WeightKg, Est: part.Estimated}
		row.Part, _ = cutting.GetPart(part.Form)
		for _, x := range v.Parts {
			if x.ID == part.Form {
				row.Part = x
			}
		}
		if v.Costs != nil && part.WeightKg > 0 && v.Costs[i] > 0 {
			row.Cost = p.PerMass(v.Costs[i] / part.WeightKg)
		}
		v.Rows = append(v.Rows, row)
	}
	slices.Reverse(v.Rows) // what lies on the scale stands under the fish
	bench, err := s.kitchen.Bench(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Clean = bench.Asks(v.Species, slices.ContainsFunc(v.Cut.Parts, func(x lot.CutPart) bool { return x.To == cutting.ToRawBar }))
	v.Marked = v.mark(f)
	v.Mark(f.Bad)
	v.Fish = v.draw(p)
	p.Data = v
	s.show(c, v.Status(), "cut", p)
}

// mark works out where to cut for portions; nil where nobody asks.
func (v cutView) mark(f *input) *marked {
	length := f.Number("mark_length_mm", "mm", "cm")
	grams, pieces := f.Number("mark_portion_g", "g"), f.Whole("mark_pieces")
	if length == nil || grams == nil && pieces == nil || v.Cut.WeightKg <= 0 {
		return nil
	}
	profile, kg := portion.ProfileOf(v.Species, v.State.Form), v.Cut.WeightKg/float64(max(v.Cut.Count, 1))
	var m marked
	left, whole, n := 1000*kg, portion.Span{To: *length}, 0
	if pieces != nil {
		n = *pieces
	}
	divide := func(span portion.Span) (err error) {
		if pieces != nil {
			m.Pieces, err = portion.Equal(profile, *length, span, left, n)
		} else {
			m.Pieces, m.RestG, err = portion.OfWeight(profile, *length, span, left, *grams)
		}
		return err
	}
	err := divide(whole)
	first := f.Number("mark_first_g", "g")
	if err == nil && first != nil && len(m.Pieces) > 1 { // the scale is right: what is left is marked anew by it
		piece := portion.Piece{Span: m.Pieces[0].Span, Grams: *first}
		if left, n = left-*first, n-1; *first <= 0 || left <= 0 {
			f.Bad.Add("mark_first_g", "is less than the fish")
			return &m
		}
		err = divide(portion.Span{From: piece.To, To: *length})
		m.Pieces = append([]portion.Piece{piece}, m.Pieces...)
	}
	if err != nil {
		f.Bad.Add("mark_length_mm", "%v", err)
		return nil
	}
	return &m
}

// draw draws the fish on its board.
func (v cutView) draw(p page) template.HTML {
	b := benchOf(v.Species, v.State.Form, v.Main)
	if b.Main == "" && len(v.Parts) > 0 {
		b.Main = v.Parts[0].ID
	}
	for _, part := range v.Parts {
		x := drawing.BenchPart{Form: part.ID, Name: part.Name}
		kg, n := 0.0, 0
		for i, row := range v.Cut.Parts {
			if row.Form == part.ID {
				kg, n = kg+row.WeightKg, n+row.Count
				x.Now = x.Now || v.Values.Get(v.Field(i, "kg")) == ""
			}
		}
		if kg > 0 {
			x.Text = boardText(p, n, kg)
		}
		b.Parts = append(b.Parts, x)
	}
	if m := v.Marked; m != nil {
		b.Length, _ = unit.ParseNumber(v.Val("mark_length_mm"))
		for _, piece := range m.Pieces {
			b.Cuts = append(b.Cuts, drawing.BenchCut{FromMM: piece.From, ToMM: piece.To, Text: fmt.Sprintf("%.0f g", piece.Grams)})
		}
		if n := len(m.Pieces); m.RestG > 1 && n > 0 {
			b.Cuts = append(b.Cuts, drawing.BenchCut{FromMM: m.Pieces[n-1].To, ToMM: b.Length, Text: fmt.Sprintf("%.0f g", m.RestG), Rest: true})
		}
	}
	return b.Draw()
}

// benchOf is a board with fish in a form on it, the flanks of which become a part.
func benchOf(sp species.Species, form, main string) drawing.Bench {
	return drawing.Bench{Subject: drawing.Subject{Figure: sp.Figure, Form: form}, Body: bodyOf(sp, form), Main: main}
}

// boardText is what stands on a weighed part of a drawing.
func boardText(p page, n int, kg float64) string {
	if n == 0 {
		return p.Mass(kg)
	}
	return fmt.Sprintf("%d · %s", n, p.Mass(kg))
}

// bodyOf is how fish in a form comes apart.
func bodyOf(sp species.Species, form string) species.Body {
	if form == "tail" {
		return species.Tail
	}
	return sp.Body
}

// cut records a cut, or gives the form back with a part more or less.
func (s *Server) cut(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	n := min(max(int(f.ID("parts")), 0), mostParts)
	action, what, _ := strings.Cut(f.Text("action"), ":")
	again := func(added int) { s.showCut(c, form.Back{Values: f.Values, Sent: true, Quiet: true}, added) }
	switch action {
	case "add":
		f.Values.Set("parts", strconv.Itoa(f.addPart(n, lot.CutPart{Form: what})))
		again(n)
		return
	case "remove":
		if i, err := strconv.Atoi(what); err == nil && i < n {
			f.removePart(i, n)
		}
		again(-1)
		return
	case "as-last":
		plan, err := s.kitchen.PlanCut(c.Request.Context(), id, lot.Cut{})
		if err != nil {
			s.fail(c, err)
			return
		}
		for _, part := range plan.AsLast {
			n = f.addPart(n, part)
		}
		f.Values.Set("parts", strconv.Itoa(n))
		again(-1)
		return
	}
	if !f.Seen() {
		s.showCut(c, f.preview(), -1)
		return
	}
	p, event := f.cut(n), f.UUID("event_id_new")
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.Append(ctx, kitchen.Write{EventID: event, LotID: id, Seen: int(f.ID("seen")),
			HappenedAt: f.AtOr("happened_at", s.kitchen.Now()), Payload: p})
		return fmt.Sprintf("/bench/cuts/%s/%s", id, event), partFields(err)
	}, func(back form.Back) { s.showCut(c, back, -1) })
}

// partFields names what the kitchen calls parts[i].name as the form does.
func partFields(err error) error {
	var bad invalid.Errors
	if !errors.As(err, &bad) {
		return err
	}
	out := slices.Clone(bad)
	for i, e := range out {
		if rest, ok := strings.CutPrefix(e.Field, "parts["); ok {
			n, name, _ := strings.Cut(rest, "].")
			if name == "weight_kg" {
				name = "kg"
			}
			if at, err := strconv.Atoi(n); err == nil {
				out[i].Field = cutView{}.Field(at, name)
			}
		}
	}
	return out
}

// addPart adds a row to the form, and returns how many it has.
func (f *input) addPart(n int, p lot.CutPart) int {
	if n >= mostParts || p.Form == "" {
		return n
	}
	set := func(name, value string) { f.Values.Set(cutView{}.Field(n, name), value) }
	set("form", p.Form)
	if p.To != "" {
		set("to", string(p.To))
	}
	if p.Form == cutting.Waste {
		set("to", string(cutting.ToBin))
	}
	return n + 1
}

// removePart takes a row out of the form.
func (f *input) removePart(at, n int) {
	for i := at; i < n; i++ {
		for _, name := range []string{"form", "count", "kg", "to", "place_id", "boneless"} {
			next, ok := f.Values[cutView{}.Field(i+1, name)]
			if i+1 < n && ok {
				f.Values[cutView{}.Field(i, name)] = next
			} else {
				f.Values.Del(cutView{}.Field(i, name))
			}
		}
	}
	f.Values.Set("parts", strconv.Itoa(n-1))
}

// cutPageView is what came of a cut.
type cutPageView struct {
	kitchen.CutPage
	Shares []valueShare
	Fish   template.HTML
	Tapes  []cutTape
	Bar    *yieldBar
	Gain   string
}

// cutTape is a lot that came of it, with the line for its tape.
type cutTape struct {
	kitchen.Row
	Tape    string
	PerKg   string
	PerEach string
}

func (s *Server) cutPage(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	event, err := uuid.Parse(c.Param("event"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	p := s.page(c, "Cut", "bench", nil)
	v := cutPageView{}
	if v.CutPage, err = s.kitchen.CutPage(c.Request.Context(), id, event); err != nil {
		s.fail(c, err)
		return
	}
	for _, r := range v.Lots {
		t := cutTape{Row: r, Tape: tapeLine(p, r.Species.Name, r.Code, "cut "+p.tapeDay(v.Cut.At), r.Outlook, r.Frozen)}
		if r.CostCents > 0 && r.WeightKg > 0 {
			t.PerKg = p.PerMass(r.CostCents / r.WeightKg)
			t.PerEach = p.Cost(r.CostCents / float64(max(r.Count, 1)))
		}
		v.Tapes = append(v.Tapes, t)
	}
	v.Bar, v.Fish, v.Shares = v.bar(), v.draw(p), v.shares(p)
	if v.Best != "" {
		v.Gain = fmt.Sprintf("%s would have had %.0f g more of it", v.Best, 1000*v.BestGain)
		if v.Cut.Cents > 0 && v.Cut.Kg > 0 {
			v.Gain += ", worth " + p.Cost(v.BestGain*v.Cut.Cents/v.Cut.Kg/math.Max(v.Expected.House.Mid(), 0.1))
		}
	}
	p.Data = v
	s.show(c, 200, "cutmade", p)
}

// valueShare is a part with its share of the cost, as it is drawn.
type valueShare struct{ Name, Cost, PerKg, Width string }

// shares are what the parts cost, the dearest first; nil where nobody knows.
func (v cutPageView) shares(p page) []valueShare {
	var list []valueShare
	for i, cost := range v.Cut.Costs {
		if part := v.Cut.Parts[i]; cost > 0 && part.WeightKg > 0 {
			list = append(list, valueShare{lot.FormName(part.Form), p.Cost(cost),
				p.PerMass(cost / part.WeightKg), pct(1000 * cost / v.Cut.Cents)})
		}
	}
	return list
}

// bar is the yield of its main part beside what was expected.
func (v cutPageView) bar() *yieldBar {
	if v.Expected.Pooled == nil {
		return nil
	}
	e := v.Expected.Next(v.Cut.Cutter(), v.Whole.Received.SupplierID, v.Cut.Count)
	b := newYieldBar(strings.ToLower(lot.FormName(v.Expected.Part)), e)
	for _, part := range v.Cut.Parts {
		if part.Form == v.Expected.Part {
			b.Got += part.WeightKg / v.Cut.Kg
		}
	}
	b.scale()
	return b
}

// draw draws the fish in its parts.
func (v cutPageView) draw(p page) template.HTML {
	b := benchOf(v.Species, v.Whole.Form, v.Expected.Part)
	dearest := 0.0
	for i, cost := range v.Cut.Costs {
		dearest = math.Max(dearest, cost/v.Cut.Parts[i].WeightKg)
	}
	for i, part := range v.Cut.Parts {
		x := drawing.BenchPart{Form: part.Form, Name: partName(part.Form), Text: boardText(p, part.Count, part.WeightKg)}
		if dearest > 0 { // the value map
			perKg := v.Cut.Costs[i] / part.WeightKg
			x.Worth, x.Text = math.Max(perKg/dearest, 0.01), p.PerMass(perKg)
		}
		b.Parts = append(b.Parts, x)
	}
	return b.Draw()
}
