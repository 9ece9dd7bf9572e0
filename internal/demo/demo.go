// Package demo invents the Kittiwake Rooms: two kitchens in Port Aldermere, a town that
// does not exist, three weeks of deliveries, and a night in which the walk-in was warm
// for an hour. Everything is relative to the start, so that the demo is of today: a calm
// morning with one alarm and five things due. All of it goes through the kitchen's own
// functions.
package demo

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/freshness/testfish"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/photo"
	"leancatch/internal/store"
)

// History is how far back the demo goes.
const History = 21 * 24 * time.Hour

// places of a demo kitchen, the same in both.
var places = []kitchen.NewPlace{
	{Name: "Dock", Kind: "dock", SetC: 6, Column: 1},
	{Name: "Walk-in", Kind: "walk_in", SetC: 1, Column: 2, CapacityKg: kg(260)},
	{Name: "Fish drawer", Kind: "drawer", SetC: 0.4, Column: 3, CapacityKg: kg(90)},
	{Name: "Ice tote", Kind: "tote", SetC: 0, Column: 4, CapacityKg: kg(80), OutsideC: 6,
		Box: &icing.Box{LengthMM: 800, WidthMM: 560, HeightMM: 480, WallMM: 40, WallWMK: 0.035}},
	{Name: "Freezer", Kind: "freezer", SetC: -24, Column: 5, CapacityKg: kg(150)},
	{Name: "Deck", Kind: "deck", SetC: 12, Column: 6}, {Name: "Deck box", Kind: "tote", SetC: 0, Column: 6, Level: 1,
		CapacityKg: kg(40), OutsideC: 14, Box: &icing.Box{LengthMM: 600, WidthMM: 400, HeightMM: 300, WallMM: 30,
			WallWMK: 0.035}},
	{Name: "Thaw shelf", Kind: "thaw_shelf", SetC: 1, Column: 7, CapacityKg: kg(30)},
	{Name: "Sink", Kind: "bench", SetC: 16, Column: 7, Level: 1},
	{Name: "Larder drawer", Kind: "drawer", SetC: 3, Column: 3, Level: 1, Holds: lot.HoldsReady},
	{Name: "Raw bar", Kind: "drawer", SetC: 0.4, Column: 8, Level: 1, CapacityKg: kg(12)},
	{Name: "Ageing cabinet", Kind: "ager", SetC: 1.5, Column: 8, CapacityKg: kg(40)},
}

func kg(v float64) *float64 { return &v }

// builder is one demo kitchen being made.
type builder struct {
	k        *kitchen.Kitchen
	start    time.Time // the moment that is "now"
	midnight time.Time // of today, at the site
	first    time.Time // service
	site     kitchen.Site
	people   map[string]kitchen.Person
	places   map[string]int64
	lots     map[string]uuid.UUID // by the supplier's number
	dishes   []kitchen.Dish
}

// PIN is everybody's on the tablets of the demo.
const PIN = "7294"

// Keys open the demo.
type Keys struct {
	Token    string // of the JSON API, with all rights of the Harbour kitchen's manager
	Password string // of the accounts: ansa, fenja, eskil
}

// afterFirst is how long after the first service the second is.
const afterFirst = 17 * time.Hour

// firstService is the first half hour that is at least 8 h ahead.
func firstService(start time.Time) time.Time {
	return start.Add(8*time.Hour + 30*time.Minute - 1).Truncate(30 * time.Minute)
}

// checkHours are those of the checks of the cold places.
var checkHours = []string{"06:30", "22:30"}

// zone is where Port Aldermere is.
const zone = "Europe/Oslo"

// Fill makes the demo in an empty database.
func Fill(ctx context.Context, k *kitchen.Kitchen) (keys Keys, err error) {
	start := k.Now()
	keys.Password = rand.Text()
	var both *int64 // the account of the owner of both kitchens
	past := kitchen.New(k.DB, k.Log)
	kitchens := []struct {
		name   string
		people []kitchen.NewPerson
		days   []delivery
	}{
		{"Harbour", []kitchen.NewPerson{{Name: "Ansa", Role: "manager", UserName: "ansa"},
			{Name: "Bertil", Role: "buyer"}, {Name: "Cato", Role: "crew"}, {Name: "Dunja", Role: "crew"},
			{Name: "Eskil", Role: "owner", UserName: "eskil"}, {Name: "Gyda", Role: "auditor"}}, harbour},
		{"Mill", []kitchen.NewPerson{{Name: "Fenja", Role: "manager", UserName: "fenja"},
			{Name: "Gudmund", Role: "buyer"}, {Name: "Eskil", Role: "owner"}}, mill},
	}
	var built []builder
	for i, d := range kitchens {
		past.Now = func() time.Time { return start.Add(-History) }
		w := builder{k: past, start: start, people: map[string]kitchen.Person{}, places: map[string]int64{},
			lots: map[string]uuid.UUID{}}
		for n := range d.people {
			p := &d.people[n]
			if p.PIN = PIN; p.UserName != "" {
				p.Password = keys.Password
			} else if p.Role == "owner" {
				p.LoginID = both
			}
		}
		local, err := time.LoadLocation(zone)
		if err != nil {
			return keys, err
		}
		w.first = firstService(start).In(local)
		w.site, err = past.AddSite(ctx, kitchen.Setup{Name: d.name, TimeZone: zone, Profile: "house-strict",
			People: d.people, Places: places, Service: []string{w.first.Format("15:04"), w.first.Add(afterFirst).Format("15:04")},
			Checks: checkHours})
		if err != nil {
			return keys, fmt.Errorf("making the kitchen %s: %w", d.name, err)
		}
		ctx := store.WithSite(ctx, w.site.ID)
		if err := w.load(ctx); err != nil {
			return keys, err
		}
		if owner := w.people["Eskil"]; both == nil {
			both = owner.AccountID
		}
		if err := w.ice(ctx, d.people[0].Name); err != nil {
			return keys, fmt.Errorf("filling the boxes of %s: %w", d.name, err)
		}
		if err := w.signChecks(ctx, d.people); err != nil {
			return keys, fmt.Errorf("signing the checks of %s: %w", d.name, err)
		}
		for _, delivery := range d.days {
			if err := w.deliver(ctx, delivery); err != nil {
				return keys, fmt.Errorf("%s, %d days ago: %w", d.name, delivery.daysAgo, err)
			}
		}
		if err := w.papers(ctx, d.people[0].Name); err != nil {
			return keys, fmt.Errorf("the papers of %s: %w", d.name, err)
		}
		if i == 0 {
			for _, c := range caught {
				if err := w.land(ctx, c); err != nil {
					return keys, fmt.Errorf("landing the %s: %w", c.species, err)
				}
			}
			if err := w.pie(ctx); err != nil {
				return keys, fmt.Errorf("the pie of %s: %w", d.name, err)
			}
			if err := w.bench(ctx); err != nil {
				return keys, fmt.Errorf("the bench of %s: %w", d.name, err)
			}
			if err := w.ageing(ctx); err != nil {
				return keys, fmt.Errorf("the ager of %s: %w", d.name, err)
			}
			if err := w.freezer(ctx); err != nil {
				return keys, fmt.Errorf("the freezer of %s: %w", d.name, err)
			}
			if keys.Token, err = k.AddToken(w.as(ctx, "Ansa"),
				kitchen.NewToken{Name: "demo",
					Scopes: []access.Scope{access.ScopeRead, access.ScopeWrite}}); err != nil {
				return keys, err
			}
		}
		built = append(built, w)
	}
	if err := central(store.Everywhere(ctx), built[0], built[1]); err != nil {
		return keys, fmt.Errorf("what Harbour cuts for Mill: %w", err)
	}
	for i, w := range built {
		ctx := store.WithSite(ctx, w.site.ID)
		if err := k.Rebuild(ctx, w.site); err != nil {
			return keys, err
		}
		if i == 0 {
			if err := w.services(ctx); err != nil {
				return keys, fmt.Errorf("the services of %s: %w", w.site.Name, err)
			}
		}
		if err := w.answerAlarms(ctx, kitchens[i].people[0].Name); err != nil {
			return keys, fmt.Errorf("the alarms of %s: %w", w.site.Name, err)
		}
		if i == 0 {
			if err := w.safetyPlan(ctx); err != nil {
				return keys, fmt.Errorf("the safety plan of %s: %w", w.site.Name, err)
			}
			if err := w.remarks(ctx); err != nil {
				return keys, fmt.Errorf("what guests said at %s: %w", w.site.Name, err)
			}
		}
	}
	return keys, nil
}

// answerAlarms has somebody shut the door at each alarm before the warm night, whose alarm stands.
func (w *builder) answerAlarms(ctx context.Context, manager string) error {
	w.k.Now = func() time.Time { return w.start }
	if err := w.k.WatchStale(ctx); err != nil {
		return err
	}
	ctx = w.as(ctx, manager)
	list, err := w.k.Alarms(ctx, w.start.Add(-History))
	if err != nil {
		return err
	}
	for _, a := range list {
		if len(a.Actions) > 0 || a.EndedAt == nil || !a.EndedAt.Before(night(w.start).From) {
			continue
		}
		at := a.EndedAt.Add(10 * time.Minute)
		w.k.Now = func() time.Time { return at }
		if err := w.k.ActOnAlarm(ctx, kitchen.NewAction{ID: kitchen.NewID(), AlarmID: a.ID, Action: "Door shut"}); err != nil {
			return err
		}
	}
	return nil
}

func (w *builder) as(ctx context.Context, name string) context.Context {
	return kitchen.WithActor(ctx, kitchen.Actor{Site: w.site, Person: w.people[name]})
}

// load reads back what was made, adds the probes and fills in their history.
func (w *builder) load(ctx context.Context) error {
	people, err := w.k.DB.People(ctx, w.site.ID)
	if err != nil {
		return err
	}
	for _, p := range people {
		w.people[p.Name] = kitchen.Person(p)
	}
	rows, err := w.k.DB.Places(ctx, w.site.ID)
	if err != nil {
		return err
	}
	zone := kitchen.Actor{Site: w.site}.Zone()
	local := w.start.In(zone)
	w.midnight = time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, zone)
	ctx = w.as(ctx, people[0].Name)
	for _, p := range rows {
		w.places[p.Name] = p.ID
	}
	return w.measure(ctx)
}

// deliver plays one delivery and what became of its lots, as far as it has
// happened by now.
func (w *builder) deliver(ctx context.Context, d delivery) error {
	arrived := w.midnight.AddDate(0, 0, -d.daysAgo).Add(time.Duration(d.hour * float64(time.Hour)))
	if d.minutesAgo > 0 {
		arrived = w.start.Add(-time.Duration(d.minutesAgo) * time.Minute)
	}
	if arrived.After(w.start) {
		return nil
	}
	w.k.Now = func() time.Time { return arrived }
	ctx = w.as(ctx, d.by)
	in := kitchen.Delivery{ID: kitchen.NewID(), Supplier: d.supplier, Reference: d.reference, ArrivedAt: arrived}
	for _, f := range d.fish {
		in.Lines = append(in.Lines, w.line(f, d.supplier, arrived))
	}
	if len(d.ordered) > 0 {
		o, err := w.order(ctx, d.supplier, arrived.Add(-15*time.Hour), arrived, d.ordered)
		if err != nil {
			return fmt.Errorf("the order: %w", err)
		}
		in.OrderID = o.ID
		for i := range d.ordered { // the first lines of the delivery
			in.Lines[i].Ordered = o.Ordered(i)
		}
		w.k.Now = func() time.Time { return arrived }
	}
	if err := w.k.Receive(ctx, in); err != nil {
		return err
	}
	docket, err := w.k.DeliveryNote(ctx, in.ID)
	if err != nil {
		return err
	}
	for i, row := range docket.Rows {
		w.lots[d.fish[i].theirs] = row.LotID
		if h := d.fish[i].harvest; h != nil {
			died := arrived.Add(-hours(h.diedHours))
			if err := w.harvest(ctx, row.LotID, died, *h, 0, nil); err != nil {
				return fmt.Errorf("the record of %s: %w", d.fish[i].species, err)
			}
		}
		if text := d.fish[i].account; text != "" {
			account := kitchen.Write{EventID: kitchen.NewID(), LotID: row.LotID, HappenedAt: arrived,
				Payload: lot.GapExplained{Until: arrived, Explanation: text}}
			if err := w.k.Append(w.as(ctx, "Ansa"), account); err != nil {
				return err
			}
		}
		if err := w.play(ctx, row, d.fish[i], arrived); err != nil {
			return fmt.Errorf("%s: %w", d.fish[i].species, err)
		}
	}
	return nil
}

// order places an order and sends it.
func (w *builder) order(ctx context.Context, supplier string, at, deliver time.Time, lines []kitchen.OrderLine) (kitchen.Order, error) {
	w.k.Now = func() time.Time { return at }
	o := kitchen.Order{ID: kitchen.NewID(), Supplier: supplier, DeliverAt: &deliver, Lines: lines}
	if err := w.k.PlaceOrder(ctx, o); err != nil {
		return o, err
	}
	return o, w.k.OrderSent(ctx, o.ID)
}

// farmed are the species that Dunlin has from farms.
var farmed = []string{"salmon", "sea-bass", "sea-bream", "turbot", "trout"}

func (w *builder) line(f fish, supplier string, arrived time.Time) lot.Received {
	r := lot.Received{SpeciesID: f.species, Form: or(f.form, "whole"), Frozen: f.frozen, Count: f.count,
		WeightKg: f.kg, Ice: or(f.ice, "well_iced"),
		SupplierLot: f.theirs, PlaceID: w.places["Dock"]}
	core := f.core
	r.CoreC, r.Origin = &core, lot.Wild
	if supplier == dunlin {
		sent := arrived.Add(-3 * time.Hour)
		r.DispatchedAt = &sent
		if slices.Contains(farmed, f.species) {
			r.Origin = lot.Farmed
		}
	}
	r.PriceCents = f.cents
	if f.vacuum {
		r.Packing = &lot.Packing{Pack: lot.PackVacuum}
	}
	if f.claimedDays > 0 {
		at := arrived.Add(-time.Duration(f.claimedDays * 24 * float64(time.Hour))).Truncate(time.Minute)
		r.LabelDate = lot.LabelDate{At: &at, Means: freshness.Caught}
	}
	return r
}

// play takes a lot from the dock on.
func (w *builder) play(ctx context.Context, row kitchen.Row, f fish, arrived time.Time) error {
	at := arrived
	do := func(after time.Duration, p lot.Payload) error {
		if at = at.Add(after); at.After(w.start) {
			return nil
		}
		w.k.Now = func() time.Time { return at }
		return w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: row.LotID, HappenedAt: at, Payload: p})
	}
	if f.readDays >= 0 {
		if err := w.inspect(ctx, row.LotID, f, at.Add(12*time.Minute)); err != nil {
			return err
		}
		at = at.Add(14 * time.Minute)
	}
	if f.checked != nil {
		if err := do(time.Minute, *f.checked); err != nil {
			return err
		}
	}
	if f.claim != "" {
		if err := w.complain(ctx, row, f, at.Add(20*time.Minute)); err != nil {
			return err
		}
	}
	if f.place != "" && f.decision != freshness.Refuse {
		if err := do(9*time.Minute, lot.Moved{PlaceID: w.places[f.place]}); err != nil {
			return err
		}
	}
	if f.held != "" {
		if err := do(3*time.Minute, lot.Held{Reason: f.held}); err != nil {
			return err
		}
	}
	if f.later != "" {
		if err := do(26*time.Hour, lot.Moved{PlaceID: w.places[f.later]}); err != nil {
			return err
		}
	}
	if f.spot != 0 {
		if err := do(5*time.Hour, lot.Temperature{Celsius: f.spot}); err != nil {
			return err
		}
	}
	if f.usedDays > 0 {
		return do(time.Duration(f.usedDays*24*float64(time.Hour)), lot.Left{EndUse: lot.UsedCooked, Note: "served"})
	}
	return nil
}

// complain photographs a refused lot and claims for it.
func (w *builder) complain(ctx context.Context, row kitchen.Row, f fish, at time.Time) error {
	if at.After(w.start) {
		return nil
	}
	w.k.Now = func() time.Time { return at }
	picture, err := photo.Prepare(bytes.NewReader(boxPhoto()))
	if err != nil {
		return err
	}
	if err := w.k.AddPhoto(ctx, kitchen.NewPhoto{EventID: kitchen.NewID(), LotID: row.LotID, At: at,
		Caption: "The box as it stood on the dock", Photo: picture}); err != nil {
		return err
	}
	card, err := w.k.Card(ctx, row.LotID)
	if err != nil {
		return err
	}
	claim := lot.Complaint{Number: row.Code + "/1", WeightKg: f.kg, Remedy: f.claim,
		Reasons: lot.ComplaintReasons(card.State), Photos: []uuid.UUID{card.State.Photos[0].PhotoID}}
	return w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: row.LotID, HappenedAt: at, Payload: claim})
}

// boxPhoto is a picture of a box with little ice, drawn: the demo has no camera.
func boxPhoto() []byte {
	img := image.NewRGBA(image.Rect(0, 0, 960, 640))
	fill := func(r image.Rectangle, c color.Color) {
		draw.Draw(img, r, image.NewUniform(c), image.Point{}, draw.Src)
	}
	fill(img.Bounds(), color.RGBA{92, 104, 110, 255})
	fill(image.Rect(90, 90, 870, 560), color.RGBA{222, 226, 222, 255})
	fill(image.Rect(120, 120, 840, 530), color.RGBA{168, 196, 204, 255}) // melt water
	for i := range 5 {
		y := 150 + 74*i
		for x := range 620 { // a red fish, thick in the middle
			h := int(30 * math.Sin(math.Pi*math.Pow(float64(x)/620, 0.7)))
			fill(image.Rect(170+x, y+28-h, 171+x, y+28+h), color.RGBA{uint8(196 - x/10), uint8(72 + x/16), 62, 255})
		}
		fill(image.Rect(206, y+16, 222, y+32), color.RGBA{232, 228, 210, 255})
	}
	var out bytes.Buffer
	_ = jpeg.Encode(&out, img, nil) // a buffer does not fail
	return out.Bytes()
}

func (w *builder) inspect(ctx context.Context, id uuid.UUID, f fish, at time.Time) error {
	if at.After(w.start) {
		return nil
	}
	in := kitchen.Inspection{EventID: kitchen.NewID(), LotID: id, At: at, Scheme: f.scheme, Decision: f.decision,
		Reason: f.because}
	w.k.Now = func() time.Time { return at }
	look, err := w.k.PreviewInspection(ctx, id, at, kitchen.SeenFish{Scheme: f.scheme})
	if err != nil {
		return err
	}
	for i := range max(1, f.sampled) {
		in.Fish = append(in.Fish, f.seen(look, i))
	}
	return w.k.Inspect(ctx, in)
}

// seen is what was seen on the i-th fish of a line: the signs of its age, but
// for those that the scenario states.
func (f fish) seen(a kitchen.InspectionPreview, i int) freshness.Fish {
	seen := freshness.Fish{Signs: freshness.Signs{}, Explanations: f.explained}
	if a.Scheme.Calibration != nil {
		age := f.readDays + 0.9*math.Sin(2.3*float64(i)) // no two fish of a box are alike
		seen.Signs = testfish.Even(a.Scheme, a.State.Species().ShelfLife, a.State.Form, math.Max(0, age)).Signs
	} else {
		for _, sign := range a.Scheme.SignsOn(a.State.Form) {
			seen.Signs[sign.ID] = 0
		}
	}
	for id, level := range f.signs {
		seen.Signs[id] = level
	}
	return seen
}

func or(a, b string) string {
	if a == "" {
		return b
	}
	return a
}
