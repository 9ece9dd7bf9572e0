package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// freezerView is what is frozen, with its clocks.
type freezerView struct {
	kitchen.FreezerView
	Batches []batchView
	form.Back
}

// batchView is a batch with its chart.
type batchView struct {
	kitchen.Batch
	Chart template.HTML
	form.Back
}

// newBatch draws a batch.
func newBatch(p page, b kitchen.Batch) batchView {
	v := batchView{Batch: b}
	f := drawing.Freezing{Begun: b.At, Now: p.Now, Zone: p.Zone, Scale: p.Actor.Temps(), Predicted: b.Predicted.Curve,
		Air: tracePoints(b.Air), Core: b.Core}
	if b.FoundH > 0 || len(b.Air) > 0 {
		f.Going = b.Now.Curve
	}
	f.Hours = 3
	for _, d := range []time.Duration{b.Predicted.ToMinus20, b.Now.ToMinus20, b.Predicted.ToMinus18, b.Now.ToMinus18} {
		if d != heat.Never {
			f.Hours = math.Max(f.Hours, 1.15*d.Hours())
		}
	}
	if b.Now.ToMinus18 == heat.Never {
		f.Hours = math.Max(f.Hours, math.Min(72, p.Now.Sub(b.At).Hours()+12))
	}
	v.Chart = f.Draw()
	return v
}

// When is a moment of the freezing in words.
func (v batchView) When(p page, d time.Duration) string {
	if d == heat.Never {
		return "not in this air"
	}
	return p.When(v.At.Add(d))
}

// Over is what the batch weighs more than the freezer takes; 0 where it does not,
// or nobody knows.
func (v batchView) Over() float64 {
	if v.Predicted.MostKg == nil {
		return 0
	}
	return math.Max(0, v.Froze.BatchKg-*v.Predicted.MostKg)
}

// Found says what the readings of the core found.
func (v batchView) Found() string {
	switch ratio := v.FoundH / v.Froze.H; {
	case v.FoundH == 0:
		return ""
	case ratio < 0.8:
		return fmt.Sprintf(
			"The core temperature falls slower than forecast: %.0f W/m²K instead of %.0f. Packed too thick, or the air does not "+
				"reach it.", v.FoundH, v.Froze.H)
	case ratio > 1.25:
		return fmt.Sprintf("The core temperature falls faster than forecast: %.0f W/m²K instead of %.0f.", v.FoundH, v.Froze.H)
	}
	return fmt.Sprintf("The core temperature falls as forecast: %.0f W/m²K, %.0f were taken.", v.FoundH, v.Froze.H)
}

// Names are the lots of the batch in words.
func (v batchView) Names() string {
	var names []string
	for _, r := range v.Rows {
		if !slices.Contains(names, r.Species.Name) {
			names = append(names, r.Species.Name)
		}
	}
	return strings.Join(names, ", ")
}

// LotChoices are the lots of the batch.
func (v batchView) LotChoices() []form.Option {
	var list []form.Option
	for _, r := range v.Rows {
		list = append(list, form.Option{ID: r.LotID.String(), Name: r.Species.Name + " " + r.Code})
	}
	return list
}

// PrepNames are what was done before.
func (v batchView) PrepNames() string {
	var names []string
	for _, prep := range freezing.Preps {
		if slices.Contains(v.Froze.Preps, prep.ID) {
			names = append(names, strings.ToLower(prep.Name))
		}
	}
	return strings.Join(names, "; ")
}

func (s *Server) freezer(c *gin.Context) { s.showFreezer(c, freezerView{}) }

func (s *Server) showFreezer(c *gin.Context, v freezerView) {
	p := s.page(c, "Freezer", "cold", nil)
	var err error
	if v.FreezerView, err = s.kitchen.Freezer(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	for _, b := range v.FreezerView.Batches {
		v.Batches = append(v.Batches, newBatch(p, b))
	}
	p.Data = v
	s.show(c, v.Status(), "freezer", p)
}

// MethodChoices are how a freezer may cool.
func (freezerView) MethodChoices() []form.Option {
	var list []form.Option
	for _, m := range freezing.Methods {
		list = append(list, form.Option{ID: m.ID, Name: methodText(m)})
	}
	return list
}

// optional writes a number for a field that may stay empty.
func optional(v *float64) string {
	if v == nil {
		return ""
	}
	return strconv.FormatFloat(*v, 'f', -1, 64)
}

// methodText is a method with the air speed that is usual for it.
func methodText(m freezing.Method) string {
	if m.Air() {
		return fmt.Sprintf("%s, %s m/s", m.Name, unit.Number(m.Boundary.SpeedMS, 1))
	}
	return m.Name
}

// Months writes a life.
func (freezerView) Months(m *float64) string { return monthsText(*m) }

func monthsText(m float64) string {
	if m < 1 {
		return fmt.Sprintf("%.0f days", m*30.4)
	}
	return fmt.Sprintf("%.1f months", m)
}

// Warm says how long a lot lay warmer than its freezer is set to, and what that
// cost; "" for less than an hour.
func (freezerView) Warm(f kitchen.FrozenStatus) string { return warmText(f.WarmDays, f.WarmCost) }

func warmText(days, share float64) string {
	warm := time.Duration(days * 24 * float64(time.Hour))
	if warm < time.Hour {
		return ""
	}
	cost := "under 0.1"
	if share >= 0.0005 {
		cost = unit.Number(100*share, 1)
	}
	return fmt.Sprintf("%s warmer, cost %s %% of its life", spanText(warm), cost)
}

// PlaceName is the name of a freezer.
func (v freezerView) PlaceName(id int64) string {
	for _, f := range v.Freezers {
		if f.ID == id {
			return f.Name
		}
	}
	return ""
}

// Source names the table of the frozen life.
func (freezerView) Source() refs.Cited { return frozen.Source }

// setFreezer says how a freezer cools.
func (s *Server) setFreezer(c *gin.Context) {
	f := posted(c)
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f.form = c.Param("id")
	speed, power := f.Number("air_speed", "m/s"), f.Number("power_w", "W")
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/freezer", s.kitchen.SetFreezer(ctx, id, f.Text("cooling"), speed, power)
	}, func(back form.Back) {
		s.showFreezer(c, freezerView{Back: back})
	})
}

// freezeView plans a batch.
type freezeView struct {
	form.Back
	Lots     []kitchen.Freezable
	Chosen   map[string]bool
	Freezers []kitchen.FreezerPlace
	Forecast *freezing.Forecast // nil where too little is said
	Batch    batchView
	Kg       float64
}

// Methods, Wrappings, Preps and Shapes are what there is to choose from.
func (freezeView) Methods() []freezing.Method     { return freezing.Methods }
func (freezeView) Wrappings() []freezing.Wrapping { return freezing.Wrappings }
func (freezeView) Preps() []freezing.Prep         { return freezing.Preps }
func (freezeView) Shapes() []form.Option {
	var list []form.Option
	for _, s := range []heat.Shape{heat.Slab, heat.Cylinder} {
		list = append(list, form.Option{ID: string(s), Name: bodyName(s)})
	}
	return list
}

// LotChoices are the lots that may be frozen.
func (v freezeView) LotChoices(p page) []form.Option {
	var list []form.Option
	for _, l := range v.Lots {
		note := fmt.Sprintf("%d × %s, %s", l.Count, lot.FormName(l.Form), p.Mass(l.WeightKg))
		if !l.Fit {
			note += " · " + l.Why
		}
		list = append(list, form.Option{ID: l.LotID.String(), Name: l.Species.Name + " " + l.Code, Note: note})
	}
	return list
}

// Places are the freezers with their air.
func (v freezeView) Places(p page) []form.Option {
	var list []form.Option
	for _, f := range v.Freezers {
		list = append(list, form.Option{ID: strconv.FormatInt(f.ID, 10), Name: f.Name + " · " + p.Temp(f.AirC)})
	}
	return list
}

// Weighs is what the chosen lots weigh together, "" for none.
func (v freezeView) Weighs(p page) string {
	if v.Kg == 0 {
		return ""
	}
	return p.Mass(v.Kg)
}

func (s *Server) freezeForm(c *gin.Context) {
	s.showFreeze(c, freezeView{Back: unsent(c)})
}

func (s *Server) showFreeze(c *gin.Context, v freezeView) {
	p := s.page(c, "Freeze", "cold", nil)
	p.InForm = true
	ctx := c.Request.Context()
	var err error
	if v.Lots, err = s.kitchen.Freezable(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.Freezers, err = s.kitchen.Freezers(ctx); err != nil {
		s.fail(c, err)
		return
	}
	v.choose()
	v.guess(p)
	var bad invalid.Errors
	if err = s.forecastFreezing(c, p, &v); errors.As(err, &bad) {
		v.Mark(bad)
	} else if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "freeze", p)
}

// choose marks the chosen lots and adds up what they weigh.
func (v *freezeView) choose() {
	v.Chosen = map[string]bool{}
	for _, id := range v.Values["lot"] {
		v.Chosen[id] = true
	}
	for _, l := range v.Lots {
		if v.Chosen[l.LotID.String()] {
			v.Kg += l.WeightKg
		}
	}
}

// guess fills the fields with what the lots and the freezer say.
func (v *freezeView) guess(p page) {
	mm, warmest, shape := 0.0, math.Inf(-1), heat.Slab
	for _, l := range v.Lots {
		if !v.Chosen[l.LotID.String()] {
			continue
		}
		body := l.Piece()
		mm, warmest = math.Max(mm, body.ThicknessMM), math.Max(warmest, l.NowC)
		if body.Shape == heat.Cylinder {
			shape = heat.Cylinder
		}
	}
	if mm > 0 {
		v.Suggest("thickness_mm", unit.Number(mm, 0))
		v.Suggest("start_celsius", p.TempField(warmest))
		v.Suggest("shape", string(shape))
	}
	for _, f := range v.Freezers {
		id := strconv.FormatInt(f.ID, 10)
		if len(v.Freezers) == 1 {
			v.Suggest("place_id", id)
		}
		if v.Values.Get("place_id") == id {
			v.Suggest("way", f.Method.ID)
			v.Suggest("air_celsius", p.TempField(f.AirC))
		}
	}
}

// froze reads how a batch is frozen.
func (f *input) froze() lot.Froze {
	f.MustChoose("place_id", "choose a freezer")
	return lot.Froze{PlaceID: f.ID("place_id"), Method: f.MustChoose("way", "choose how it cools"),
		Wrapping: f.MustChoose("wrapping", "say what is around the fish"), Preps: f.All("prep"),
		Shape: heat.Shape(f.MustChoose("shape", "choose a shape")), MM: f.MustNumber("thickness_mm", "mm"),
		OneFace: f.Text("one_face") != "", StartC: f.MustCelsius("start_celsius"), AirC: f.MustCelsius("air_celsius")}
}

// forecastFreezing calculates the batch and draws it.
func (s *Server) forecastFreezing(c *gin.Context, p page, v *freezeView) error {
	var ids []uuid.UUID
	for id := range v.Chosen {
		if parsed, err := uuid.Parse(id); err == nil {
			ids = append(ids, parsed)
		}
	}
	f := inputOf(c, v.Values)
	froze, at := f.froze(), f.AtOr("happened_at", p.Now)
	if err := f.Bad.Err(); err != nil {
		return err
	}
	batch, err := s.kitchen.ForecastFreezing(c.Request.Context(), ids, froze, at)
	if err != nil {
		return err
	}
	v.Forecast, v.Batch = &batch.Predicted, newBatch(p, batch)
	return nil
}

// freeze puts the chosen lots into the freezer.
func (s *Server) freeze(c *gin.Context) {
	f := posted(c)
	batch := kitchen.FreezeBatch{Events: map[uuid.UUID]uuid.UUID{}, At: f.AtOr("happened_at", s.kitchen.Now()),
		Froze: f.froze()}
	batch.Froze.BatchID = f.UUID("batch")
	for _, text := range f.All("lot") {
		if id, err := uuid.Parse(text); err == nil {
			batch.Events[id] = uuid.NewSHA1(batch.Froze.BatchID, id[:])
		}
	}
	if !f.Seen() {
		s.showFreeze(c, freezeView{Back: f.preview()})
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.Freeze(ctx, batch)
		if err == nil {
			s.offerUndo(c, "Put into the freezer", batch.Events)
		}
		return "/cold/freezer/batches/" + batch.Froze.BatchID.String(), err
	}, func(back form.Back) {
		s.showFreeze(c, freezeView{Back: back})
	})
}

func (s *Server) batch(c *gin.Context) { s.showBatch(c, form.Back{}) }

func (s *Server) showBatch(c *gin.Context, back form.Back) {
	p := s.page(c, "Batch", "cold", nil)
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	b, err := s.kitchen.Batch(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := newBatch(p, b)
	v.Back = back
	p.Data = v
	s.show(c, v.Status(), "batch", p)
}

// batchCore logs a core reading of one of the batch's lots.
func (s *Server) batchCore(c *gin.Context) {
	f := posted(c)
	w := kitchen.Write{EventID: f.UUID("event"), LotID: f.UUID("lot"),
		HappenedAt: f.AtOr("happened_at", s.kitchen.Now()), Payload: lot.Temperature{Celsius: f.MustCelsius("celsius")}}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/freezer/batches/" + c.Param("id"), s.kitchen.Append(ctx, w)
	}, func(back form.Back) {
		s.showBatch(c, back)
	})
}

// declarationsView lists the suppliers' papers on parasites.
type declarationsView struct {
	form.Back
	Declarations []kitchen.DeclarationEntry
	Suppliers    []supplierChoice
	page         page
}

// Route is how a letter says that its fish was frozen, in words; "" where it says nothing of that.
func (v declarationsView) Route(l kitchen.DeclarationEntry) string {
	if l.SupplierLot == "" {
		return ""
	}
	return fmt.Sprintf("lot %s, core temperature %s for %s h", l.SupplierLot, v.page.Temp(l.RouteC), unit.Number(l.RouteHours, 0))
}

type supplierChoice struct {
	ID   int64
	Name string
}

// Kinds are what a letter may state.
func (declarationsView) Kinds() []assess.DeclarationKind { return assess.DeclarationKinds }

// Valid reports whether a letter counts for what comes today.
func (v declarationsView) Valid(p page, l kitchen.DeclarationEntry) bool {
	return l.StruckAt == nil && p.Now.Before(l.ValidTo.AddDate(0, 0, 1))
}

func (s *Server) declarations(c *gin.Context) { s.showDeclarations(c, form.Back{}) }

func (s *Server) showDeclarations(c *gin.Context, back form.Back) {
	p := s.page(c, "Supplier declarations", "records", nil)
	v := declarationsView{Back: back, page: p}
	var err error
	if v.Declarations, err = s.kitchen.Declarations(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	suppliers, err := s.kitchen.SupplierNames(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range suppliers {
		v.Suppliers = append(v.Suppliers, supplierChoice{x.ID, x.Name})
	}
	p.Data = v
	s.show(c, v.Status(), "declarations", p)
}

// addDeclaration puts a letter on file.
func (s *Server) addDeclaration(c *gin.Context) {
	f := posted(c)
	l := kitchen.NewDeclaration{ID: f.UUID("new_id"), SupplierID: f.ID("supplier"),
		Kind: assess.DeclarationKind(f.Text("kind")), Reference: f.Text("reference"), IssuedOn: f.Day("issued"),
		ValidTo: f.Day("valid")}
	l.SpeciesID = f.species("species").ID
	if l.Kind == assess.DeclaredFrozen {
		l.SupplierLot, l.RouteC, l.RouteHours = f.Text("supplier_lot"), f.MustCelsius("route_c"), f.MustNumber("route_hours", "h")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/declarations", s.kitchen.AddDeclaration(ctx, l)
	}, func(back form.Back) {
		s.showDeclarations(c, back)
	})
}

// certificate writes the paper for raw service of a lot.
func (s *Server) certificate(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	card, err := s.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if !card.Assessment.Parasites.Met {
		s.problem(c, http.StatusConflict, "There is nothing to certify yet: "+card.Assessment.Parasites.Text()+".")
		return
	}
	data, err := interchange.CertificatePDF(card, kitchen.ActorFrom(c.Request.Context()), s.kitchen.Now())
	if err != nil {
		s.fail(c, err)
		return
	}
	s.export(c, "application/pdf", "parasites-"+card.State.Received.Code+".pdf", data)
}

// bodyName is a shape in words.
func bodyName(s heat.Shape) string {
	return map[heat.Shape]string{heat.Slab: "Flat: fillet, flat fish, block",
		heat.Cylinder: "Round: whole fish, loin", heat.Sphere: "Ball"}[s]
}

// AgainstRaw is why a frozen lot may not be served raw when it has thawed; "" where it may.
func (freezerView) AgainstRaw(r kitchen.Row) string {
	return strings.Join(assess.AgainstRawThawed(r.Uses), "; ")
}
