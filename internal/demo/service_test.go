package demo

import (
	"context"
	"errors"
	"log/slog"
	"math"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/safety"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

var morning = time.Date(2026, 6, 10, 5, 0, 0, 0, time.UTC)

var filled = storetest.Template{Fill: func(db *store.DB) error {
	k := kitchen.New(db, slog.New(slog.DiscardHandler))
	k.Now = func() time.Time { return morning }
	_, err := Fill(context.Background(), k)
	return err
}}

func TestMain(m *testing.M) {
	code := m.Run()
	filled.Drop()
	os.Exit(code)
}

// pass is the demo on its morning, with the clock in the test's hand.
type pass struct {
	*kitchen.Kitchen
	t             *testing.T
	now           time.Time
	harbour, mill context.Context
}

func newPass(t *testing.T) *pass {
	t.Helper()
	t.Parallel()
	p := &pass{t: t, now: morning, Kitchen: kitchen.New(filled.New(t), slog.New(slog.DiscardHandler))}
	p.Now = func() time.Time { return p.now }
	p.harbour, p.mill = p.as("harbour", "Ansa"), p.as("mill", "Fenja")
	return p
}

func (p *pass) must(err error) {
	p.t.Helper()
	if err != nil {
		p.t.Fatal(err)
	}
}

func (p *pass) as(slug, name string) context.Context {
	p.t.Helper()
	ctx := context.Background()
	site, err := p.SiteBySlug(ctx, slug)
	p.must(err)
	people, err := p.DB.People(store.WithSite(ctx, site.ID), site.ID)
	p.must(err)
	for _, x := range people {
		if x.Name == name {
			return kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(x)})
		}
	}
	p.t.Fatalf("no %s at %s", name, slug)
	return nil
}

// later lets time pass, while the probes of Harbour measure.
func (p *pass) later(at time.Time) {
	p.t.Helper()
	var list []intake.Measurement
	for _, probe := range probesOf(kitchen.ActorFrom(p.harbour).Site) {
		probe.Start(p.now.Add(-settled))
		probe.Advance(p.now, nil)
		for _, r := range probe.Advance(at, nil) {
			list = append(list, intake.Measurement{Name: r.Name, Unit: "Cel", At: r.At, Value: r.Celsius})
		}
	}
	p.now = at
	_, err := p.PutMeasurements(p.harbour, list)
	p.must(err)
	p.must(p.RefreshStale(p.harbour))
}

// dish is a dish of the next services by a part of its name.
func (p *pass) dish(name string) (kitchen.PlannedService, kitchen.PlannedDish) {
	p.t.Helper()
	list, err := p.Planned(p.harbour)
	p.must(err)
	for _, s := range list {
		for _, d := range s.Dishes {
			if strings.Contains(d.Name, name) {
				return s, d
			}
		}
	}
	p.t.Fatalf("no %s is planned", name)
	return kitchen.PlannedService{}, kitchen.PlannedDish{}
}

func (p *pass) write(ctx context.Context, id uuid.UUID, payload lot.Payload) {
	p.t.Helper()
	p.must(p.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: p.now, Payload: payload}))
}

// The demo's plan: 14 of 25 plates of raw bream are short and nothing else is; each way to mend it is open.
func TestTheOneShortage(t *testing.T) {
	p := newPass(t)
	list, err := p.Planned(p.harbour)
	p.must(err)
	for _, s := range list {
		for _, d := range s.Dishes {
			want := 0
			if d.Raw && d.Part == "fillet_skinless" && d.Pieces == 8 {
				want = 14
			}
			if d.Missing() != want {
				t.Errorf("%s: %d short, want %d", d.Name, d.Missing(), want)
			}
		}
	}
	s, d := p.dish("Raw bream")
	if d.Wanted != 25 || d.There() != 11 {
		t.Errorf("%d of %d plates of raw bream", d.There(), d.Wanted)
	}
	if _, hake := p.dish("Hake"); len(hake.Reserved) != 1 || !hake.Reserved[0].Thawing {
		t.Errorf("the hake is not what thaws for it: %+v", hake.Reserved)
	}
	p.must(p.ShareSpare(p.harbour))
	_, _, fixes, err := p.Fixes(p.harbour, s.ID, d.ID)
	p.must(err)
	var kinds []kitchen.FixKind
	for _, f := range fixes {
		kinds = append(kinds, f.Kind)
		if f.Kind != kitchen.FixFewer && f.Plates < 25 {
			t.Errorf("%s leaves it at %d plates", f.Kind, f.Plates)
		}
	}
	if !slices.Equal(kinds, []kitchen.FixKind{kitchen.FixAsk, kitchen.FixBuy, kitchen.FixFewer}) {
		t.Errorf("the ways are %v", kinds)
	}
}

// A lot that is held falls off the plan, loudly; released it stands again. What was taken for something else falls too.
func TestReservationsFall(t *testing.T) {
	p := newPass(t)
	_, d := p.dish("Raw bream")
	bream := d.Reserved[0].LotID
	p.write(p.harbour, bream, lot.Held{Reason: "the box smells of diesel"})
	s, d := p.dish("Raw bream")
	if d.There() != 0 || d.Missing() != 25 || len(d.Fallen()) != 1 || !strings.Contains(d.Fallen()[0].Against, "diesel") {
		t.Fatalf("%d there, %d short, %+v", d.There(), d.Missing(), d.Fallen())
	}
	planned, err := p.Planned(p.harbour)
	p.must(err)
	short := kitchen.Shortages(planned, p.now)
	due, err := p.DueBy(p.harbour, p.now.Add(time.Hour))
	p.must(err)
	if len(short) != 1 || !short[0].Fell() || !slices.ContainsFunc(due, func(x kitchen.Due) bool { return x.Do == "Mend the plan" }) {
		t.Errorf("it fell silently: %+v", short)
	}
	p.write(p.harbour, bream, lot.Released{Reason: "it was the van"})
	if _, d = p.dish("Raw bream"); d.There() != 11 {
		t.Errorf("released: %d there", d.There())
	}
	p.write(p.harbour, bream, lot.Taken{EndUse: lot.UsedStaff, Count: 3})
	if _, d = p.dish("Raw bream"); d.There() > 3 || len(d.Fallen()) == 0 || d.Fallen()[0].Against != "was taken for something else" {
		t.Errorf("three of four were eaten by the staff: %d there, %+v", d.There(), d.Fallen())
	}
	p.must(p.Mend(p.harbour, kitchen.NewID(), s.ID, d.ID, kitchen.FixFewer))
	if _, d = p.dish("Raw bream"); d.Missing() != 0 || d.Wanted != d.There() {
		t.Errorf("mended to %d plates, %d there, %d missing", d.Wanted, d.There(), d.Missing())
	}
}

// From reserved to eaten: the bream is cut, its fillets take what was reserved, part of them goes to the raw bar, and what is left after
// the service is on hand.
func TestFromTheBoardToThePlate(t *testing.T) {
	p := newPass(t)
	s, d := p.dish("Raw bream")
	up, err := p.PutUp(p.harbour, kitchen.NewID(), s.ID, d.ID)
	p.must(err)
	if up.Plates != 0 || len(up.Waits) != 1 || !strings.Contains(up.Waits[0], "cut") {
		t.Fatalf("uncut fish was put up: %+v", up)
	}
	p.later(s.At.Add(-2 * time.Hour))
	bream := d.Reserved[0]
	drawer := bream.PlaceID
	cut := lot.Cut{Count: int(bream.Count), WeightKg: bream.WeightKg, Parts: []lot.CutPart{
		{Form: "fillet_skinless", Count: 8, WeightKg: 0.95, To: "raw_bar", PlaceID: drawer, Boneless: true},
		{Form: "waste", WeightKg: bream.WeightKg - 0.96, To: "bin"}}}
	p.write(p.harbour, bream.LotID, cut)
	_, d = p.dish("Raw bream")
	if d.There() != 11 || d.Reserved[0].LotID == bream.LotID || d.Reserved[0].Form != "fillet_skinless" {
		t.Fatalf("the fillets did not take what was reserved: %d there, %+v", d.There(), d.Reserved)
	}
	p.later(s.At.Add(-40 * time.Minute))
	id := kitchen.NewID()
	for range 2 { // sent twice it is once
		up, err = p.PutUp(p.harbour, id, s.ID, d.ID)
		p.must(err)
	}
	_, d = p.dish("Raw bream")
	at, err := p.Card(p.harbour, d.Reserved[0].LotID)
	p.must(err)
	if d.PutUpPlates == nil || *d.PutUpPlates != 11 || d.Reserved[0].PutUpAt == nil || at.Places[at.State.Place()].Name != "Raw bar" {
		t.Fatalf("put up %v at %s", d.PutUpPlates, at.Places[at.State.Place()].Name)
	}
	p.later(s.At.Add(4 * time.Hour))
	result := kitchen.ServiceResult{ID: kitchen.NewID(), Came: 58, Dishes: map[uuid.UUID]kitchen.DishResult{}}
	for _, x := range s.Dishes {
		if x.There() > 0 { // of what was not cut nobody ate
			result.Dishes[x.ID] = kitchen.DishResult{Left: x.There()}
		}
	}
	result.Dishes[d.ID] = kitchen.DishResult{Left: 9, Wasted: 3}
	var wrong invalid.Errors
	if err := p.CloseService(p.harbour, s.ID, result); !errors.As(err, &wrong) || wrong.On("left-"+d.ID.String()) == "" {
		t.Errorf("twelve of eleven plates: %v", err)
	}
	result.Dishes[d.ID] = kitchen.DishResult{Left: 2, Wasted: 1}
	for range 2 {
		p.must(p.CloseService(p.harbour, s.ID, result))
	}
	after, err := p.Card(p.harbour, d.Reserved[0].LotID)
	p.must(err)
	each := d.Reserved[0].Kg / 11
	var served, wasted float64
	for _, x := range after.State.Exits {
		switch x.EndUse {
		case lot.UsedRaw:
			served += x.Kg
		case lot.UsedWaste:
			wasted += x.Kg
		}
	}
	if math.Abs(served-8*each) > 0.002 || math.Abs(wasted-each) > 0.002 || after.State.Status != lot.OnHand {
		t.Errorf("%.3f kg served and %.3f wasted of %.3f; it is %s", served, wasted, 11*each, after.State.Status)
	}
	if list, err := p.Planned(p.harbour); err != nil || list[0].ID == s.ID {
		t.Errorf("the service is still open: %v", err)
	}
	next, past, err := p.Suggested(p.harbour, s.At.AddDate(0, 0, 7))
	p.must(err)
	if past < 3 || next.Covers.Mean < 50 || next.Covers.Mean > 70 || len(next.Dishes) != len(s.Dishes) {
		t.Errorf("the next one like it: %v by %d, %d dishes", next.Covers, past, len(next.Dishes))
	}
}

// A trout of Mill goes to Harbour: the clocks, the letter and the cost go along, nothing may be done with it until its core is measured there,
// and then the clocks say what they said.
func TestFishBetweenKitchens(t *testing.T) {
	p := newPass(t)
	p.must(p.ShareSpare(p.harbour))
	s, d := p.dish("Raw bream")
	p.must(p.Mend(p.harbour, kitchen.NewID(), s.ID, d.ID, kitchen.FixAsk))
	if _, d = p.dish("Raw bream"); d.Missing() != 0 || d.Ordered != 14 {
		t.Errorf("asked for: %d missing, %d on their way", d.Missing(), d.Ordered)
	}
	p.must(p.Between(p.harbour))
	due, err := p.DueBy(p.mill, p.now.Add(time.Hour))
	p.must(err)
	if !slices.ContainsFunc(due, func(x kitchen.Due) bool { return x.Do == "Send" }) {
		t.Fatalf("Mill was not asked: %+v", due)
	}
	asked := p.transfer(p.mill, "asked")
	trout, count := *asked.LotID, int(asked.Count)
	before, err := p.Card(p.mill, trout)
	p.must(err)
	neighbours, err := p.Neighbours(p.mill)
	p.must(err)
	p.must(p.Send(p.mill, kitchen.Sending{EventID: kitchen.NewID(), LotID: trout, HappenedAt: p.now, To: neighbours[0].ID, AskID: asked.ID,
		Sent: lot.Sent{Way: lot.WayIced, Count: count}}))
	p.must(p.Between(p.harbour))
	id := *p.transfer(p.harbour, "receives").LotID
	card, err := p.Card(p.harbour, id)
	p.must(err)
	for _, u := range card.Uses {
		if u.OK {
			t.Errorf("%s is open before its core was measured here", u.Name)
		}
	}
	if card.State.CostCents <= 0 || math.Abs(card.State.CostCents/card.State.WeightKg-before.State.CostCents/before.State.WeightKg) > 0.01 {
		t.Errorf("a kilo cost %.2f and costs %.2f", before.State.CostCents/before.State.WeightKg, card.State.CostCents/card.State.WeightKg)
	}
	var wrong invalid.Errors
	move := kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: p.now, Payload: lot.Moved{PlaceID: card.State.Place()}}
	if err := p.Append(p.harbour, move); !errors.As(err, &wrong) {
		t.Errorf("it was put into a place of Mill's: %v", err)
	}
	p.later(p.now.Add(35 * time.Minute))
	drawer := slices.IndexFunc(p.places(p.harbour), func(x lot.Place) bool { return x.Name == "Fish drawer" })
	in := kitchen.Arrival{EventID: kitchen.NewID(), LotID: id, At: p.now, CoreC: 0.6, Ice: true, PlaceID: p.places(p.harbour)[drawer].ID}
	p.must(p.ReceiveSent(p.harbour, in))
	p.must(p.ReceiveSent(p.harbour, in))
	after, err := p.Card(p.harbour, id)
	p.must(err)
	p.sameClocks(before, after)
	if !assess.UseFor(after.Uses, lot.GateRaw).OK {
		t.Errorf("not raw: %v", assess.UseFor(after.Uses, lot.GateRaw).Reasons)
	}
	if _, d = p.dish("Raw bream"); d.FreePlates() < 14 {
		t.Errorf("here it is free for %d plates", d.FreePlates())
	}
	for _, ctx := range []context.Context{p.harbour, p.mill} {
		if _, err := p.CheckChains(ctx, kitchen.ActorFrom(ctx).Site); err != nil {
			t.Error(err)
		}
	}
	if list := p.places(p.harbour); slices.ContainsFunc(list, func(x lot.Place) bool { return x.Elsewhere }) {
		t.Error("a place of Mill's is listed at Harbour")
	}
	site := kitchen.ActorFrom(p.harbour).Site
	row := func() []store.LotBoard {
		x, err := p.DB.BoardLot(p.harbour, store.BoardLotParams{SiteID: site.ID, LotID: id})
		p.must(err)
		return []store.LotBoard{x}
	}
	was := row()
	p.must(p.Rebuild(context.Background(), site))
	if !storetest.SameBoard(was, row()) {
		t.Error("the rebuilt projection differs")
	}
}

func (p *pass) places(ctx context.Context) []lot.Place {
	p.t.Helper()
	list, err := p.PlaceList(ctx)
	p.must(err)
	return list
}

// transfer is the open one of that side at a kitchen.
func (p *pass) transfer(ctx context.Context, side string) kitchen.Transfer {
	p.t.Helper()
	list, err := p.Transfers(ctx)
	p.must(err)
	i := slices.IndexFunc(list, func(x kitchen.Transfer) bool { return x.Side == side && x.Open() })
	if i < 0 {
		p.t.Fatalf("no transfer is %s: %+v", side, list)
	}
	return list[i]
}

// sameClocks holds the clocks of a lot in two kitchens against each other: what was used there is used here, but for half an hour in ice.
func (p *pass) sameClocks(there, here kitchen.Card) {
	p.t.Helper()
	for i, a := range there.Assessment.Clocks {
		b := here.Assessment.Clocks[i]
		if (a.State == safety.StateOff) != (b.State == safety.StateOff) || b.State == safety.StateUnknown || b.State == safety.StateStop ||
			!math.IsNaN(a.Share) && !(b.Share >= a.Share-1e-6 && b.Share <= a.Share+0.05) {
			p.t.Errorf("%s: %s %.3f there, %s %.3f here (%s)", a.ID, a.State, a.Share, b.State, b.Share, b.Why)
		}
	}
	if a, b := there.Assessment.Used.Days, here.Assessment.Used.Days; b < a-1e-6 || b > a+0.06 {
		p.t.Errorf("%.3f fresh days spent there, %.3f here", a, b)
	}
}

// Nothing is known of a way without ice: it counts as warm as a room, and the raw hours run.
func TestABareWayCounts(t *testing.T) {
	p := newPass(t)
	p.must(p.ShareSpare(p.harbour))
	rows, err := p.Find(p.mill, "trout", true)
	p.must(err)
	i := slices.IndexFunc(rows, func(r kitchen.Row) bool { return assess.UseFor(r.Uses, lot.GateRaw).OK })
	neighbours, err := p.Neighbours(p.mill)
	p.must(err)
	p.must(p.Send(p.mill, kitchen.Sending{EventID: kitchen.NewID(), LotID: rows[i].LotID, HappenedAt: p.now, To: neighbours[0].ID,
		Sent: lot.Sent{Way: lot.WayBare, All: true}}))
	p.must(p.Between(p.harbour))
	id := *p.transfer(p.harbour, "receives").LotID
	p.later(p.now.Add(75 * time.Minute))
	p.must(p.ReceiveSent(p.harbour, kitchen.Arrival{EventID: kitchen.NewID(), LotID: id, At: p.now, CoreC: 7.5, PlaceID: p.places(p.harbour)[1].ID}))
	card, err := p.Card(p.harbour, id)
	p.must(err)
	if u := assess.UseFor(card.Uses, lot.GateRaw); u.OK || card.Assessment.OutOfCold == nil {
		t.Errorf("75 minutes in a room, and raw: %+v", card.Assessment.OutOfCold)
	}
	gone, err := p.Card(p.mill, rows[i].LotID)
	p.must(err)
	if gone.State.Status == lot.OnHand || len(gone.State.Exits) != 1 || gone.State.Exits[0].EndUse != lot.UsedMoved {
		t.Errorf("at Mill it is %s", gone.State.Status)
	}
}

// What is missing is ordered by the supplier's deliveries, and counts as on its way.
func TestOrderingForServices(t *testing.T) {
	p := newPass(t)
	s := kitchen.Service{ID: kitchen.NewID(), At: morning.AddDate(0, 0, 2).Add(12 * time.Hour), Covers: planning.Estimate{Mean: 240, SD: 20}, Level: 0.9}
	menu, err := p.Dishes(p.harbour)
	p.must(err)
	i := slices.IndexFunc(menu, func(d kitchen.Dish) bool { return d.Name == "Cod and beans" })
	s.Dishes = []kitchen.ServiceDish{{Dish: menu[i], Share: 0.8}}
	p.must(p.SaveService(p.harbour, s))
	list, err := p.Lacking(p.harbour, 0)
	p.must(err)
	n := slices.IndexFunc(list, func(l kitchen.Lacking) bool { return l.Service.ID == s.ID })
	if n < 0 || len(list[n].Purchases) == 0 {
		t.Fatalf("nothing is offered for 240 covers: %d", len(list))
	}
	l := list[n]
	best := l.Purchases[0]
	// by hand: the plates that nine nights in ten are enough, less those that are there, at the yield of the kitchen
	plates := l.Dish.Asked.Quantity(0.9) - float64(l.Dish.There()+l.Dish.FreePlates())
	if least := plates * 0.16 / 0.55; best.WholeKg < least || !best.InTime || best.Enough < 0.9 || !best.Slot.At.Before(best.Ready.Add(time.Second)) {
		t.Errorf("%.2f kg for %.1f plates, enough %.2f, comes %v, needed %v", best.WholeKg, plates, best.Enough, best.Slot.At, best.Ready)
	}
	for _, other := range l.Purchases[1:] {
		if other.InTime && other.PerKg > 0 && best.PerKg > other.PerKg {
			t.Errorf("%s costs %.0f a usable kilo, %s %.0f", best.Supplier, best.PerKg, other.Supplier, other.PerKg)
		}
	}
	ids, err := p.OrderFor(p.harbour, 0, []kitchen.Ordered{{Service: s.ID, Dish: l.Dish.ID, Purchase: best.ID(), Fish: best.Fish, Kg: 0}})
	p.must(err)
	o, err := p.Order(p.harbour, ids[0])
	p.must(err)
	if o.Supplier != best.Supplier || o.Lines[0].Count != best.Fish || !o.DeliverAt.Equal(best.Slot.At) {
		t.Errorf("ordered %+v", o)
	}
	if list, err = p.Lacking(p.harbour, 0); err != nil || slices.ContainsFunc(list, func(l kitchen.Lacking) bool { return l.Service.ID == s.ID }) {
		t.Errorf("it is missing though it is ordered: %v", err)
	}
	p.must(p.CancelOrder(p.harbour, ids[0]))
	if list, err = p.Lacking(p.harbour, 0); err != nil || !slices.ContainsFunc(list, func(l kitchen.Lacking) bool { return l.Service.ID == s.ID }) {
		t.Errorf("it is not missing though the order was cancelled: %v", err)
	}
	p.must(p.SetBoxes(p.harbour, best.SupplierID, []kitchen.Box{{Species: best.Species.ID, Form: best.Form, Kg: 18}}))
	list, err = p.Lacking(p.harbour, 0)
	p.must(err)
	n = slices.IndexFunc(list, func(l kitchen.Lacking) bool { return l.Service.ID == s.ID })
	i = slices.IndexFunc(list[n].Purchases, func(x kitchen.Purchase) bool { return x.ID() == best.ID() })
	boxed := list[n].Purchases[i]
	if want := int(math.Ceil(best.WholeKg / 18)); boxed.Boxes < want-1 || boxed.Boxes > want || boxed.WholeKg != 18*float64(boxed.Boxes) || boxed.Enough < 0.9 {
		t.Errorf("%.1f kg loose, %d boxes of 18 kg", best.WholeKg, boxed.Boxes)
	}
}

// A deal is bounded by the freezer: with no room nothing is frozen.
func TestDealAndFreezer(t *testing.T) {
	p := newPass(t)
	weekly := 6.0
	offer := kitchen.DealOffer{SpeciesID: "haddock", Form: "gutted", Kg: 30, CentsPerKg: 500, WeeklyKg: &weekly}
	check, err := p.CheckDeal(p.harbour, offer)
	p.must(err)
	if check.Worth.FreezeKg <= 0 || check.Fresh <= 500 || check.Later <= check.Fresh || len(check.Usual) == 0 {
		t.Errorf("%+v at %.0f fresh and %.0f later", check.Worth, check.Fresh, check.Later)
	}
	fresh := check.Worth.FreshKg
	freezer := slices.IndexFunc(p.places(p.harbour), func(x lot.Place) bool { return x.Freezer() })
	full := 10.0
	place := p.places(p.harbour)[freezer]
	p.must(p.SetPlace(p.harbour, place.ID, kitchen.PlaceChange{NewPlace: kitchen.NewPlace{Name: place.Name, Kind: place.Kind, SetC: place.SetC, CapacityKg: &full, Holds: place.Holds}}))
	if check, err = p.CheckDeal(p.harbour, offer); err != nil || check.Worth.Limit != planning.LimitRoom || check.Worth.Kg() != fresh {
		t.Errorf("the freezer is full: %+v, %v", check.Worth, err)
	}
}
