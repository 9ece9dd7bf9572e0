package web

import (
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/yield"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// compareView asks whether whole fish or fillets are the better buy.
type compareView struct {
	form.Back
	Species species.Species
	Known   *kitchen.YieldKnown
	Yield   yield.Estimate
	Whole   *costing.Whole // nil while something is missing
}

// Forms are those in which fish is bought whole.
func (compareView) Forms() []form.Option { return named(lot.Forms[:4], lot.FormName) }

// Cuts are what it is cut into.
func (compareView) Cuts() []form.Option {
	return named([]string{"fillet_skin_on", "fillet_skinless", "loin"}, lot.FormName)
}

// Usual is the yield that counts where nobody says another.
func (v compareView) Usual() string {
	if v.Known == nil {
		return ""
	}
	return fmt.Sprintf("%.0f", 100*v.Yield.Mid)
}

// Percent is a share in per cent.
func (compareView) Percent(share float64) string { return fmt.Sprintf("%.1f %%", 100*share) }

// Verdict says in one line what to buy.
func (v compareView) Verdict() string {
	even, mine := v.Percent(v.Whole.BreakEven()), fmt.Sprintf("%.0f", 100*v.Whole.Yield)
	switch v.Whole.Better() {
	case costing.BuyWhole:
		return fmt.Sprintf("Buy whole: %s to break even, yours %s", even, mine)
	case costing.BuyFillet:
		return fmt.Sprintf("Buy fillet: %s to break even, yours %s", even, mine)
	}
	return fmt.Sprintf("Either: %s to break even, yours %s", even, mine)
}

// Sure reports whether the verdict holds over the whole band of the yield.
func (v compareView) Sure() bool {
	even := v.Whole.BreakEven()
	return even < v.Yield.Lo || even > v.Yield.Hi
}

// Usable is what a usable kilogram costs at a yield, hundredths.
func (v compareView) Usable(share float64) float64 {
	w := *v.Whole
	w.Yield = math.Min(math.Max(share, 0.01), 1)
	return w.UsablePerKg()
}

func (s *Server) compare(c *gin.Context) {
	p := s.page(c, "Whole or fillet", "bench", nil)
	p.InForm = true
	f := asked(c)
	v := compareView{Back: unsent(c)}
	if v.Values == nil {
		v.Values = url.Values{}
	}
	for field, usual := range map[string]string{"form": "gutted", "cut": "fillet_skin_on"} {
		if !f.Has(field) {
			v.Values.Set(field, usual)
			f.Values.Set(field, usual)
		}
	}
	if f.Has("species") {
		v.Species = f.species("species")
	}
	w := costing.Whole{Kg: f.MassOrNone("whole_kg"), PricePerKg: float64(f.price("whole_price")), Fee: float64(f.Cents("fee")),
		WagePerHour: float64(p.Actor.Site.WageCents), ByProducts: float64(f.Cents("frames_value")), FilletPerKg: float64(f.price("fillet_price"))}
	if m := f.Number("minutes", "min"); m != nil {
		w.LabourMinutes = *m
	}
	if v.Species.ID != "" {
		known, err := s.kitchen.YieldOf(c.Request.Context(), v.Species.ID, v.Val("form"), v.Val("cut"))
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Known, v.Yield = &known, known.Mean(0, 0)
		w.Yield = v.Yield.Mid
		if own := f.Number("yield", "%"); own != nil {
			w.Yield = *own / 100
		}
		if w.Check() == nil && w.FilletPerKg > 0 {
			v.Whole = &w
		}
	}
	v.Mark(f.Bad)
	p.Data = v
	s.show(c, http.StatusOK, "compare", p)
}

// yieldsView is what the cuts of the last year tell.
type yieldsView struct {
	Groups []yieldGroup
}

// yieldGroup is a species, a form and a part.
type yieldGroup struct {
	kitchen.YieldKnown
	Bar     *yieldBar
	Cutters []cutterLine
}

// cutterLine is a cutter's yield beside the others'.
type cutterLine struct {
	Name string
	Bar  *yieldBar
	Cuts int
	Gain string // what the best would have more of a fish; "" for the best, and where too few cuts tell
}

func (s *Server) yields(c *gin.Context) {
	p := s.page(c, "Yields", "bench", nil)
	known, err := s.kitchen.Yields(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	names, err := s.kitchen.Names(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v := yieldsView{}
	for _, k := range known {
		v.Groups = append(v.Groups, newYieldGroup(p, k, names))
	}
	p.Data = v
	s.show(c, http.StatusOK, "yields", p)
}

// newYieldGroup draws the yields of its cutters on one scale.
func newYieldGroup(p page, k kitchen.YieldKnown, names map[int64]string) yieldGroup {
	g := yieldGroup{YieldKnown: k}
	g.Bar = newYieldBar("Kitchen", k.Mean(0, 0))
	seen := map[int64]int{}
	kg, fish := 0.0, int64(0)
	for _, cut := range k.Cuts {
		seen[cut.CutterID]++
		kg, fish = kg+cut.Kg, fish+cut.Count
	}
	best, bestIs, told := k.Best()
	for _, id := range slices.Sorted(maps.Keys(seen)) {
		e := k.Mean(id, 0)
		line := cutterLine{Name: names[id], Bar: newYieldBar(names[id], e), Cuts: seen[id]}
		if told && id != best && !e.Few() && fish > 0 {
			line.Gain = fmt.Sprintf("the careful cut at the nape gains %.0f g a fish", 1000*(bestIs.Mid-e.Mid)*kg/float64(fish))
		}
		g.Cutters = append(g.Cutters, line)
	}
	from, to := g.Bar.Lo-0.03, g.Bar.Hi+0.03
	for _, x := range g.Cutters {
		from, to = math.Min(from, x.Bar.Lo-0.01), math.Max(to, x.Bar.Hi+0.01)
	}
	g.Bar.place(from, to)
	for _, x := range g.Cutters {
		x.Bar.place(from, to)
	}
	return g
}
