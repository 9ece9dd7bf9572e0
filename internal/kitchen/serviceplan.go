package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/yield"
	"leancatch/internal/store"
)

// PlannedService is a service with what its dishes have and lack.
type PlannedService struct {
	Service
	Dishes []PlannedDish
}

// PlannedDish is a dish of a service with its fish.
type PlannedDish struct {
	ServiceDish
	Asked    planning.Estimate // plates
	Level    float64           // chance of having enough that is wanted
	Wanted   int               // plates
	Reserved []Allotted        // what fell is among them
	Free     []Allotted        // that is fit and not reserved for anything: it would serve plates that lack fish
	Ordered  int               // plates for which fish is ordered, or asked for in another kitchen, and still to come
	ComesAt  time.Time         // when the first of it comes
}

// Allotted is fish of a lot for a dish.
type Allotted struct {
	Row
	planning.Offer
	Plates  int
	Kg      float64 // of the lot
	PutUpAt *time.Time
	Against string    // why it may not be served then any more; "" while it may
	Thaw    *ThawLead // of what lies in the freezer; nil for other fish
	Thawing bool      // that is planned, for something
}

// There is how many plates have fish that may be served.
func (d PlannedDish) There() (n int) {
	for _, r := range d.Reserved {
		if r.Against == "" {
			n += r.Plates
		}
	}
	return n
}

// Fallen are the reservations that may not be served any more.
func (d PlannedDish) Fallen() []Allotted {
	return slices.DeleteFunc(slices.Clone(d.Reserved), func(r Allotted) bool { return r.Against == "" })
}

// FreePlates is how many plates could be reserved now.
func (d PlannedDish) FreePlates() (n int) {
	for _, r := range d.Free {
		n += r.Plates
	}
	return n
}

// Missing is how many plates there is no fish for, here or ordered.
func (d PlannedDish) Missing() int { return max(0, d.Wanted-d.There()-d.FreePlates()-d.Ordered) }

// Enough is the chance that so many plates are enough, ExpectedLeft how many are left over on average.
func (d PlannedDish) Enough(plates int) float64       { return d.Asked.Enough(float64(plates)) }
func (d PlannedDish) ExpectedLeft(plates int) float64 { return d.Asked.Left(float64(plates)) }

func (k *Kitchen) planServices(ctx context.Context) ([]PlannedService, error) {
	services, err := k.OpenServices(ctx)
	if err != nil || len(services) == 0 {
		return nil, err
	}
	p, err := k.newPlanner(ctx, services)
	if err != nil {
		return nil, err
	}
	return p.plan(services)
}

// PlannedService returns one service, planned beside the others.
func (k *Kitchen) PlannedService(ctx context.Context, id uuid.UUID) (PlannedService, error) {
	list, err := k.Planned(ctx)
	if err != nil {
		return PlannedService{}, err
	}
	i := slices.IndexFunc(list, func(s PlannedService) bool { return s.ID == id })
	if i < 0 {
		return PlannedService{}, ErrNotFound
	}
	return list[i], nil
}

// PlannedDish returns a dish of a service.
func (k *Kitchen) PlannedDish(ctx context.Context, serviceID, dishID uuid.UUID) (PlannedService, PlannedDish, error) {
	s, err := k.PlannedService(ctx, serviceID)
	if err != nil {
		return s, PlannedDish{}, err
	}
	i := slices.IndexFunc(s.Dishes, func(d PlannedDish) bool { return d.ID == dishID })
	if i < 0 {
		return s, PlannedDish{}, ErrNotFound
	}
	return s, s.Dishes[i], nil
}

// Candidate is a lot that a dish could be of.
type Candidate struct {
	Row
	planning.Offer
	Against string    // why it may not be served then; "" where it may
	Thaw    *ThawLead // of what lies in the freezer
	Cents   float64   // that the fish of a plate costs; 0 where that is not known
	Drip    float64   // share of its weight that thawing costs
	Raw     bool      // it may be served raw then
}

// Candidates lists the lots that a dish of a service could be of, fresh and frozen side by side: those that may be served first, the first
// to end on top.
func (k *Kitchen) Candidates(ctx context.Context, s Service, d Dish) (list []Candidate, err error) {
	p, err := k.newPlanner(ctx, []Service{s})
	if err != nil {
		return nil, err
	}
	for _, r := range p.rows {
		c := Candidate{Row: r}
		var ok bool
		if c.Offer, ok = p.offer(d, r); !ok {
			continue
		}
		c.Against, c.Thaw = p.fit(d, r, s.At)
		if plates := c.Plates(); plates > 0 {
			c.Cents = r.CostCents / float64(plates)
		}
		raw := d
		raw.Raw = true
		against, _ := p.fit(raw, r, s.At)
		c.Raw = against == ""
		if c.Thaw != nil {
			c.Drip = thawing.DripShare
		}
		list = append(list, c)
	}
	slices.SortStableFunc(list, func(a, b Candidate) int { return compareBool(a.Against != "", b.Against != "") })
	return list, nil
}

// planner allots the lots on hand to the dishes of services.
type planner struct {
	now      time.Time
	actor    Actor
	rows     []Row // on hand, what is used first on top
	at       map[uuid.UUID]int
	yields   func(sp species.Species, form, part string) yield.Estimate
	reserved []store.Reservation
	ordered  []store.PlatesOnOrderRow
	coming   []store.PlatesOnTheWayRow
	planned  map[uuid.UUID]time.Time // the service that a lot thaws for, or is to
	thawing  map[uuid.UUID]float64   // share of a lot that thaws, or is to, for something that is no service
	leads    *thawLeads
	taken    map[supplyKey]float64 // share of a supply that something takes
}

// supplyKey names a supply: what a lot offers of a kind.
type supplyKey struct {
	lot  uuid.UUID
	kind string
}

func (k *Kitchen) newPlanner(ctx context.Context, services []Service) (*planner, error) {
	a := ActorFrom(ctx)
	p := &planner{now: k.Now(), actor: a, at: map[uuid.UUID]int{}, planned: map[uuid.UUID]time.Time{}, thawing: map[uuid.UUID]float64{}, leads: k.leads,
		taken: map[supplyKey]float64{}}
	var err error
	if p.rows, err = k.rowsOnHand(ctx); err != nil {
		return nil, fmt.Errorf("loading the lots on hand: %w", err)
	}
	slices.SortStableFunc(p.rows, usedFirst)
	for i, r := range p.rows {
		p.at[r.LotID] = i
	}
	ids := make([]uuid.UUID, len(services))
	for i, s := range services {
		ids[i] = s.ID
	}
	if p.reserved, err = k.DB.Reservations(ctx, store.ReservationsParams{SiteID: a.Site.ID, Services: ids}); err != nil {
		return nil, fmt.Errorf("loading reservations: %w", err)
	}
	if p.ordered, err = k.DB.PlatesOnOrder(ctx, store.PlatesOnOrderParams{SiteID: a.Site.ID, Services: ids}); err != nil {
		return nil, fmt.Errorf("loading what is ordered: %w", err)
	}
	if p.coming, err = k.DB.PlatesOnTheWay(ctx, store.PlatesOnTheWayParams{SiteID: a.Site.ID, Services: ids}); err != nil {
		return nil, fmt.Errorf("loading what other kitchens send: %w", err)
	}
	thaws, err := k.DB.LotsInThaws(ctx, a.Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading what thaws: %w", err)
	}
	for _, t := range thaws {
		p.planned[t.LotID] = t.ServeAt
		if t.PulledAt != nil { // it is a lot of its own now
			continue
		}
		i, here := p.at[t.LotID]
		ours := slices.ContainsFunc(services, func(s Service) bool {
			return s.At.Sub(t.ServeAt).Abs() < time.Hour && slices.ContainsFunc(s.Dishes, func(d ServiceDish) bool { return d.Takes(t.Species) })
		})
		if here && !ours {
			p.thawing[t.LotID] += float64(t.Pieces) / float64(max(p.rows[i].Count, 1))
		}
	}
	p.yields, err = k.yields(ctx)
	return p, err
}

// yields returns what the kitchen knows of the share of fish in a form that becomes a part: its own cuts drawn to the house's range.
func (k *Kitchen) yields(ctx context.Context) (func(sp species.Species, form, part string) yield.Estimate, error) {
	rows, err := k.Cuts(ctx, k.Now().Add(-cutsFor))
	if err != nil {
		return nil, err
	}
	type key struct{ species, form string }
	of := map[key][]CutRow{}
	for _, r := range rows {
		of[key{r.Species, r.Form}] = append(of[key{r.Species, r.Form}], r)
	}
	type partKey struct {
		key
		part string
	}
	known := map[partKey]yield.Estimate{}
	return func(sp species.Species, form, part string) yield.Estimate {
		at := partKey{key{sp.ID, form}, part}
		if y, ok := known[at]; ok {
			return y
		}
		pooled, err := pool(sp, form, part, of[at.key])
		if err != nil { // cuts that give no yield do not tell
			pooled, _ = pool(sp, form, part, nil)
		}
		known[at] = pooled.Next(0, 0, 4)
		return known[at]
	}, nil
}

// fishOf is what a lot has to offer, at the house's yields.
func fishOf(s *lot.State) planning.Fish {
	return planning.Fish{Species: s.Species(), Form: s.Form, Count: s.Count, Kg: s.WeightKg, Frozen: s.Frozen()}
}

// fish is what a lot has to offer.
func (p *planner) fish(r Row) planning.Fish {
	count := int(r.Count)
	return planning.Fish{Species: r.Species, Form: r.Form, Count: count, Kg: r.WeightKg,
		Frozen: r.FrozenStatus != nil && r.FrozenStatus.InFreezer(),
		Yield:  func(form, part string) float64 { return p.yields(r.Species, form, part).Mid }}
}

// offer is what a lot offers a dish.
func (p *planner) offer(d Dish, r Row) (planning.Offer, bool) { return d.From(p.fish(r)) }

// gate is the gate that a dish asks.
func (d Dish) gate() lot.Gate {
	if d.Raw {
		return lot.GateRaw
	}
	return lot.GateCook
}

// hangs reports whether the fish hangs to age.
func (r Row) hangs() bool { return r.AgeingStatus != nil && r.AgeingStatus.DownAt == nil }

// fit is why a lot may not serve a dish at an hour, "" where it may; of frozen fish how it thaws by then.
func (p *planner) fit(d Dish, r Row, at time.Time) (against string, lead *ThawLead) {
	switch {
	case d.Aged != (r.AgeingStatus != nil):
		return "is not aged as the dish asks", nil
	case r.hangs() && r.AgeingStatus.Goal() != nil && r.AgeingStatus.Goal().After(at):
		return "is not aged to its target by then", nil
	}
	if f := r.FrozenStatus; f != nil && f.InFreezer() {
		if why := againstThaw(r, d.endUse()); why != "" {
			return why, nil
		}
		if lead = p.leads.of(p.actor, r, d.endUse(), at.Sub(p.now)); lead == nil {
			return "there is no time to thaw it", nil
		}
		return "", lead
	}
	if f := r.FrozenStatus; f != nil && f.Stage == assess.StageThawing {
		if u := assess.UseFor(r.Uses, d.gate()).Thawed(); !u.OK {
			return u.Reasons[0], nil
		}
		if f.ReadyAt == nil || f.ReadyAt.After(at) {
			return "is not thawed by then", nil
		}
		return "", nil
	}
	spell := r.ServedAt(at)
	if spell.Serving == assess.ServeRaw || !d.Raw && spell.Serving == assess.ServeCook {
		return "", nil
	}
	return cmp.Or(spell.Why, "may not be served then"), nil
}

// plan allots what is there.
func (p *planner) plan(services []Service) ([]PlannedService, error) {
	list := make([]PlannedService, len(services))
	var wants []*want
	for i, s := range services {
		list[i] = PlannedService{Service: s, Dishes: make([]PlannedDish, len(s.Dishes))}
		for j, d := range s.Dishes {
			list[i].Dishes[j] = PlannedDish{ServiceDish: d, Asked: d.Asked(s.Covers)}
			wants = append(wants, &want{PlannedDish: &list[i].Dishes[j], service: &list[i].Service})
		}
	}
	for _, w := range wants {
		w.takeReserved(p)
	}
	for _, w := range wants {
		w.decide(p)
		for _, o := range p.ordered {
			if o.ServiceID == w.service.ID && o.DishID == w.ID && o.DeliverAt.Before(w.service.At) {
				w.Ordered, w.ComesAt = int(o.Plates), o.DeliverAt
			}
		}
		for _, o := range p.coming {
			if o.ServiceID == w.service.ID && o.DishID == w.ID {
				w.Ordered += int(o.Plates)
			}
		}
	}
	for _, kind := range kindsOf(wants) {
		p.allot(kind, wants)
	}
	return list, nil
}

// want is a dish of a service that wants fish.
type want struct {
	*PlannedDish
	service *Service
	offers  map[int]planning.Offer // of the lots that fit, by their index
	leads   map[int]*ThawLead
	kind    string
}

// takeReserved takes what is reserved for the dish off what there is: what somebody took meanwhile falls.
func (w *want) takeReserved(p *planner) {
	for _, r := range p.reserved {
		if r.ServiceID != w.service.ID || r.DishID != w.ID {
			continue
		}
		a := Allotted{Plates: int(r.Plates), Kg: r.Kg, PutUpAt: r.PutUpAt, Against: r.Against}
		i, here := p.at[r.LotID]
		if !here {
			a.Row.LotID, a.Against = r.LotID, cmp.Or(a.Against, "is not here any more")
			w.Reserved = append(w.Reserved, a)
			continue
		}
		a.Row = p.rows[i]
		var ok bool
		if a.Offer, ok = p.offer(w.Dish, a.Row); !ok {
			a.Against = cmp.Or(a.Against, "is not enough for a plate any more")
			w.Reserved = append(w.Reserved, a)
			continue
		}
		_, a.Thaw = p.fit(w.Dish, a.Row, w.service.At)
		a.Thawing = !p.planned[a.LotID].IsZero()
		if a.Against == "" {
			if got := p.take(a.LotID, a.Offer, a.Plates); got < a.Plates {
				if got > 0 {
					stays := a
					stays.Plates, stays.Kg = got, a.Kg*float64(got)/float64(a.Plates)
					w.Reserved = append(w.Reserved, stays)
				}
				a.Kg *= float64(a.Plates-got) / float64(a.Plates)
				a.Plates, a.Against = a.Plates-got, "was taken for something else"
			}
		}
		w.Reserved = append(w.Reserved, a)
	}
}

// take takes up to so many plates of what a lot offers, and returns how many there were.
func (p *planner) take(lot uuid.UUID, o planning.Offer, plates int) int {
	n := min(plates, o.Fitting(p.share(lot, o.Kind)))
	if n > 0 {
		p.taken[supplyKey{lot, o.Kind}] += float64(n*o.Plate) / float64(o.Units)
	}
	return max(0, n)
}

// share is how much of what a lot offers of a kind nothing took yet. A fish that is served whole gives no fillets nor collars,
// and one that is cut is not whole any more: but its fillets and its collars are two things. Pieces that thaw for something
// that is no service are not there.
func (p *planner) share(lot uuid.UUID, kind string) float64 {
	left := 1 - p.taken[supplyKey{lot, kind}]
	if kind != planning.KindFish {
		left -= p.taken[supplyKey{lot, planning.KindFish}]
	} else {
		cut := 0.0
		for key, share := range p.taken {
			if key.lot == lot && key.kind != planning.KindFish {
				cut = math.Max(cut, share)
			}
		}
		left -= cut
	}
	return math.Max(0, left-p.thawing[lot])
}

// decide settles how many plates are wanted, and which lots fit.
func (w *want) decide(p *planner) {
	w.offers, w.leads = map[int]planning.Offer{}, map[int]*ThawLead{}
	var cents, plates float64
	for i, r := range p.rows {
		o, ok := p.offer(w.Dish, r)
		if !ok {
			continue
		}
		if r.CostCents > 0 {
			cents, plates = cents+r.CostCents, plates+float64(o.Plates())
		}
		if against, lead := p.fit(w.Dish, r, w.service.At); against == "" {
			w.offers[i], w.leads[i], w.kind = o, lead, o.Kind
		}
	}
	w.PlannedDish.Level = w.service.Level
	if w.PlannedDish.Level == 0 {
		w.PlannedDish.Level = planning.LevelUsual
		if plates > 0 && w.PriceCents > 0 {
			cost := cents / plates
			w.PlannedDish.Level = planning.Level(math.Max(0, float64(w.PriceCents)-cost), cost)
		}
	}
	w.Wanted = int(math.Ceil(w.Asked.Quantity(w.PlannedDish.Level) - 1e-9))
}

// kindsOf are the kinds of supplies that are wanted: whole fish first, since nothing stands in for one.
func kindsOf(wants []*want) []string {
	var kinds []string
	for _, w := range wants {
		if w.kind != "" && !slices.Contains(kinds, w.kind) {
			kinds = append(kinds, w.kind)
		}
	}
	rank := map[string]int{planning.KindFish: -2, planning.KindFlesh: -1}
	slices.SortStableFunc(kinds, func(a, b string) int { return cmp.Compare(rank[a], rank[b]) })
	return kinds
}

// ends is by when a lot is used: what thaws for a service, by then.
func (p *planner) ends(r Row) time.Time {
	if at, ok := p.planned[r.LotID]; ok {
		return at
	}
	return r.UseFirstBy()
}

// allot gives the plates that have no fish yet what is free, of one kind of supply.
func (p *planner) allot(kind string, wants []*want) {
	var supplies []planning.Supply
	var needs []planning.Need
	var of []*want
	index := map[int]int{} // of a lot among the supplies
	var lots []int
	for _, w := range wants {
		lacks := w.Wanted - w.There()
		if w.kind != kind || lacks <= 0 {
			continue
		}
		n := planning.Need{At: w.service.At}
		for i, r := range p.rows {
			o, fits := w.offers[i]
			if !fits || o.Kind != kind {
				continue
			}
			at, seen := index[i]
			if !seen {
				at = len(supplies)
				index[i] = at
				supplies = append(supplies, planning.Supply{Ends: p.ends(r), Units: o.Part(p.share(r.LotID, kind))})
				lots = append(lots, i)
			}
			n.Units, n.Fits = lacks*o.Plate, append(n.Fits, at)
		}
		needs, of = append(needs, n), append(of, w)
	}
	for j, units := range planning.Allocate(supplies, needs) {
		w := of[j]
		lacks := w.Wanted - w.There()
		for at, n := range units {
			if n == 0 || lacks <= 0 {
				continue
			}
			r, o := p.rows[lots[at]], w.offers[lots[at]]
			plates := min((n+o.Plate-1)/o.Plate, lacks) // a plate that two lots share is served of one of them
			if plates = p.take(r.LotID, o, plates); plates == 0 {
				continue
			}
			lacks -= plates
			w.Free = append(w.Free, Allotted{Row: r, Offer: o, Plates: plates, Thaw: w.leads[lots[at]],
				Kg: r.WeightKg * float64(plates*o.Plate) / float64(o.Units)})
		}
	}
}
