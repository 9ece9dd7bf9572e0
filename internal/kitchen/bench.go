package kitchen

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/yield"
	"leancatch/internal/store"
)

// OnBench are lots on hand that wait at the bench.
type OnBench struct {
	ToCut  []Row // can go under the knife, those that are used first on top
	Thawed []Row // thaw, or have thawed
	Ageing []Row
}

// OnBench lists what waits at the bench.
func (k *Kitchen) OnBench(ctx context.Context) (OnBench, error) {
	var b OnBench
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return b, err
	}
	for _, r := range rows {
		if r.in(stagesThawed...) {
			b.Thawed = append(b.Thawed, r)
		}
		switch ageing := r.AgeingStatus != nil && r.AgeingStatus.DownAt == nil; {
		case ageing:
			b.Ageing = append(b.Ageing, r)
		case !r.Frozen && !r.OnHold() && len(cutting.PartsOf(r.Species, r.Form)) > 0 && assess.UseFor(r.Uses, lot.GateCook).OK:
			b.ToCut = append(b.ToCut, r)
		}
	}
	slices.SortStableFunc(b.ToCut, usedFirst)
	return b, nil
}

// CutPlan is what a cut comes to, before it is recorded.
type CutPlan struct {
	State    *lot.State
	Species  species.Species
	Parts    []cutting.Part // that come of the fish, the dearest first
	Cut      lot.Cut        // with the parts that nobody weighed at their usual share
	Missing  float64        // what is gone more than drip explains, kg
	Costs    []float64      // of the parts, hundredths; nil where nobody knows what the fish cost
	Cents    float64        // of what goes in, with the work
	Main     string         // the part that the flanks become; "" while there is none
	Got      float64        // its share of what went in, of what was weighed
	Expected YieldKnown     // of that part
	Wrong    invalid.Errors // what speaks against it as it stands
	Cutters  []Person       // who may have cut
	AsLast   []lot.CutPart  // the parts of the last cut of such fish here, and where they went
}

// PlanCut works out a cut: what nobody weighed, what is missing, what the parts cost, and what is usual. The lot, or
// what is asked of it, may be wrong in any way: Wrong says how.
func (k *Kitchen) PlanCut(ctx context.Context, id uuid.UUID, cut lot.Cut) (CutPlan, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	states, err := k.states(ctx, q, a.Site, id)
	if err != nil {
		return CutPlan{}, err
	}
	s := states[0]
	env, err := k.environmentFor(ctx, q, a.Site, states)
	if err != nil {
		return CutPlan{}, err
	}
	assessed := assess.Assess(s, env.Env, env.Now)
	for i := range cut.Parts {
		if !cut.Parts[i].To.Leaves() {
			cut.Parts[i].LotID = id // any: it is not stored
		}
	}
	cut.CostBy = cmp.Or(cut.CostBy, costing.Method(a.Site.CostBy))
	facts := assessed.Facts(cut)
	facts.WageCents = a.Site.WageCents
	p := CutPlan{State: s, Species: s.Species(), Parts: cutting.PartsOf(s.Species(), s.Form)}
	people, err := q.People(ctx, a.Site.ID)
	if p.Cutters, err = mapped(people, err, personOf); err != nil {
		return p, err
	}
	p.Cutters = slices.DeleteFunc(p.Cutters, func(x Person) bool { return x.LeftAt != nil })
	known, err := k.cutsOf(ctx, q, a.Site, p.Species, s.Form, env.Now)
	if err != nil {
		return p, err
	}
	p.AsLast = lastParts(known)
	if _, err := lot.Admit(s, facts, lot.Event{ID: NewID(), HappenedAt: env.Now}, cut); err != nil && !errors.As(err, &p.Wrong) {
		return p, err
	}
	p.Cut = cut.Derive(s, facts, env.Now).(lot.Cut)
	made := p.Cut.Of(s)
	p.Cents, p.Costs, p.Missing = made.Cents, made.Costs, p.Cut.Lost()
	if p.Main = mainPart(p.Cut); p.Main == "" {
		return p, nil
	}
	for _, part := range p.Cut.Parts {
		if part.Form == p.Main && !part.Estimated && p.Cut.WeightKg > 0 {
			p.Got += part.WeightKg / p.Cut.WeightKg
		}
	}
	p.Expected, err = pool(p.Species, s.Form, p.Main, known)
	return p, err
}

// lastParts are the parts of the last of some cuts, without what they weighed; nil where there was none.
func lastParts(rows []CutRow) []lot.CutPart {
	if len(rows) == 0 {
		return nil
	}
	var list []lot.CutPart
	for _, p := range rows[len(rows)-1].Parts {
		list = append(list, lot.CutPart{Form: p.Form, To: p.To})
	}
	return list
}

// mainWorth is what a part is worth at least that the flanks of a fish are cut into.
const mainWorth = 0.7

// isMain reports whether the flanks of a fish are cut into a part.
func isMain(form string) bool {
	part, _ := cutting.GetPart(form)
	return part.Worth >= mainWorth
}

// mainPart is the part that the flanks became in a cut; "" for none.
func mainPart(cut lot.Cut) string {
	for _, part := range cut.Parts {
		if isMain(part.Form) {
			return part.Form
		}
	}
	return ""
}

// YieldKnown is what is known of the yield of a part of a species, of fish in a form.
type YieldKnown struct {
	Species    species.Species
	Form, Part string
	House      species.Range // what the house expects
	*yield.Pooled
	Cuts []CutRow // that tell of it
}

// YieldOf is what is known of the yield of a part of a species that is bought in a form.
func (k *Kitchen) YieldOf(ctx context.Context, speciesID, form, part string) (YieldKnown, error) {
	site := ActorFrom(ctx).Site
	sp, ok := site.Catalogue().Get(speciesID)
	if !ok {
		return YieldKnown{}, ErrNotFound
	}
	return k.yieldOf(ctx, k.DB.Queries, site, sp, form, part, k.Now())
}

// yieldOf pools what the cuts of a kitchen before a moment tell of a part.
func (k *Kitchen) yieldOf(ctx context.Context, q *store.Queries, site Site, sp species.Species, form, part string,
	before time.Time) (YieldKnown, error) {
	rows, err := k.cutsOf(ctx, q, site, sp, form, before)
	if err != nil {
		return YieldKnown{}, err
	}
	return pool(sp, form, part, rows)
}

// cutsOf are the cuts of a species, of fish in a form, that tell of yields at a moment, the last at the end.
func (k *Kitchen) cutsOf(ctx context.Context, q *store.Queries, site Site, sp species.Species, form string,
	before time.Time) ([]CutRow, error) {
	rows, err := q.CutsOfSpecies(ctx, store.CutsOfSpeciesParams{SiteID: site.ID, Species: sp.ID, Form: form,
		Since: before.Add(-cutsFor), Before: before})
	if err != nil {
		return nil, fmt.Errorf("loading cuts: %w", err)
	}
	list := make([]CutRow, len(rows))
	for i, r := range rows {
		if list[i], err = cutRowOf(r); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// pool is what cuts of a species, of fish in a form, tell of a part: those alone in which all of it was weighed.
func pool(sp species.Species, form, part string, rows []CutRow) (YieldKnown, error) {
	y := YieldKnown{Species: sp, Form: form, Part: part, House: houseYield(sp, form, part)}
	var told []yield.Cut
	for _, r := range rows {
		if share, ok := r.share(part); ok {
			y.Cuts = append(y.Cuts, r)
			told = append(told, yield.Cut{Cutter: r.CutterID, Supplier: r.SupplierID, Fish: int(max(r.Count, 1)), Yield: share})
		}
	}
	var err error
	y.Pooled, err = yield.Pool(yield.Expected(y.House.Lo, y.House.Hi), told)
	return y, err
}

// houseYield is the house range of a part: that of the catalogue for fillets, else about the usual share.
func houseYield(sp species.Species, form, part string) species.Range {
	if basis, ok := species.BasisOf(form); ok {
		switch part {
		case "fillet_skin_on":
			return sp.Fillets(basis, false)
		case "fillet_skinless", "loin":
			return sp.Fillets(basis, true)
		}
	}
	usual := cutting.UsualShare(sp, form, part)
	return species.Range{Lo: 0.88 * usual, Hi: min(1.12*usual, 1)}
}

// share is what a part was of what went in; false where none was weighed, or not all of it.
func (r CutRow) share(part string) (float64, bool) {
	kg := 0.0
	for _, p := range r.Parts {
		if p.Form == part {
			if p.Estimated {
				return 0, false
			}
			kg += p.Kg
		}
	}
	share := kg / r.Kg
	return share, share > 0 && share <= 1.1
}

// Yields are what is known of all that was cut in the last year: by species, form and part, those with the most cuts
// first.
func (k *Kitchen) Yields(ctx context.Context) ([]YieldKnown, error) {
	rows, err := k.Cuts(ctx, k.Now().Add(-cutsFor))
	if err != nil {
		return nil, err
	}
	type group struct{ species, form, part string }
	of := map[group][]CutRow{}
	for _, r := range rows {
		if part := r.main(); part != "" {
			g := group{r.Species, r.Form, part}
			of[g] = append(of[g], r)
		}
	}
	var list []YieldKnown
	c := ActorFrom(ctx).Site.Catalogue()
	for g, rows := range of {
		sp, _ := c.Get(g.species)
		y, err := pool(sp, g.form, g.part, rows)
		if err != nil {
			return nil, err
		}
		list = append(list, y)
	}
	slices.SortFunc(list, func(a, b YieldKnown) int {
		return cmp.Or(cmp.Compare(len(b.Cuts), len(a.Cuts)), cmp.Compare(a.Species.Name, b.Species.Name),
			cmp.Compare(a.Form, b.Form), cmp.Compare(a.Part, b.Part))
	})
	return list, nil
}

// main is the part that the flanks became; "" for none.
func (r CutRow) main() string {
	for _, p := range r.Parts {
		if isMain(p.Form) && !p.Estimated {
			return p.Form
		}
	}
	return ""
}

// CutPage is a cut with the lots that came of it.
type CutPage struct {
	Cut      lot.CutMade
	Whole    *lot.State
	Species  species.Species
	Lots     []Row // of its parts, in their order
	Expected YieldKnown
	Cutter   string
	Best     string  // who cuts it best; "" where that is the cutter, or too few cuts tell
	BestGain float64 // what the best would have had more of it, kg; 0 for nothing
}

// CutPage returns a cut by the lot that was cut and the event.
func (k *Kitchen) CutPage(ctx context.Context, id, event uuid.UUID) (CutPage, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	states, err := k.states(ctx, q, a.Site, id)
	if err != nil {
		return CutPage{}, err
	}
	s := states[0]
	made, ok := s.CutBy(event)
	if !ok {
		return CutPage{}, ErrNotFound
	}
	p := CutPage{Cut: made, Whole: s, Species: s.Species()}
	for _, part := range made.Parts {
		if part.LotID == uuid.Nil {
			continue
		}
		r, err := k.Row(ctx, part.LotID)
		if err != nil {
			return p, err
		}
		p.Lots = append(p.Lots, r)
	}
	names, err := k.Names(ctx)
	if err != nil {
		return p, err
	}
	p.Cutter = names[made.Cutter()]
	main := mainPart(made.Cut)
	if main == "" {
		return p, nil
	}
	if p.Expected, err = k.yieldOf(ctx, q, a.Site, p.Species, s.Form, main, made.At); err != nil {
		return p, err
	}
	got := 0.0
	for _, part := range made.Parts {
		if part.Form == main {
			got += part.WeightKg
		}
	}
	if who, best, ok := p.Expected.Best(); ok && who != made.Cutter() && best.Mid*made.Kg > got {
		p.Best, p.BestGain = names[who], best.Mid*made.Kg-got
	}
	return p, nil
}

// Names are the names of the people of the kitchen.
func (k *Kitchen) Names(ctx context.Context) (map[int64]string, error) {
	return peopleNames(ctx, k.DB.Queries, ActorFrom(ctx).Site.ID)
}
