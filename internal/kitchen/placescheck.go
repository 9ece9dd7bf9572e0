package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// CheckKind is which of the day's checks of the cold places one is.
type CheckKind string

// The checks of a day: the first and the last of the kitchen's hours, and those between.
const (
	OpeningCheck CheckKind = "opening"
	BetweenCheck CheckKind = "between"
	ClosingCheck CheckKind = "closing"
)

// Name is the check in words.
func (c CheckKind) Name() string {
	switch c {
	case OpeningCheck:
		return "Opening check"
	case ClosingCheck:
		return "Closing check"
	}
	return "Check of the places"
}

// CheckHour is one of the hours at which the places are checked.
type CheckHour struct {
	Kind CheckKind
	At   time.Time
	Done *store.PlacesChecksRow // nil where nobody signed it, or not yet
}

// readEarly is how long before its hour a check counts for it.
const readEarly = 90 * time.Minute

// checksKept is how far back a page lists the checks.
const checksKept = 7 * 24 * time.Hour

// hoursOfChecks are the hours of checks in a span, with the check that was signed for each: from
// readEarly before it until readEarly before the next.
func hoursOfChecks(hours []string, span coldchain.Span, zone *time.Location, done []store.PlacesChecksRow) []CheckHour {
	var list []CheckHour
	clocks := slices.Clone(hours)
	early := func(clock string) int { // hours after midnight close the day before
		t, _ := time.Parse("15:04", clock)
		return (t.Hour()*60 + t.Minute() + (24-assess.DayEnds)*60) % (24 * 60)
	}
	slices.SortFunc(clocks, func(a, b string) int { return early(a) - early(b) })
	for day := span.From.In(zone).AddDate(0, 0, -1); !day.After(span.To.AddDate(0, 0, 1)); day = day.AddDate(0, 0, 1) {
		for i, clock := range clocks {
			t, err := time.Parse("15:04", clock)
			if err != nil {
				continue
			}
			at := time.Date(day.Year(), day.Month(), day.Day(), t.Hour(), t.Minute(), 0, 0, zone)
			h := CheckHour{Kind: BetweenCheck, At: at}
			switch {
			case len(clocks) == 1:
			case i == 0:
				h.Kind = OpeningCheck
			case i == len(clocks)-1:
				h.Kind = ClosingCheck
			}
			if span.Has(at) {
				list = append(list, h)
			}
		}
	}
	slices.SortFunc(list, func(a, b CheckHour) int { return a.At.Compare(b.At) })
	for i := range list {
		until := span.To
		if i+1 < len(list) {
			until = list[i+1].At.Add(-readEarly)
		}
		for _, d := range done {
			if !d.At.Before(list[i].At.Add(-readEarly)) && d.At.Before(until) {
				list[i].Done = &d
			}
		}
	}
	return list
}

// checks are the hours of the last days and the next one, and which of them is now: the last whose time
// has begun; −1 where the kitchen has no hours.
func (k *Kitchen) checks(ctx context.Context) (list []CheckHour, now int, err error) {
	a, at := ActorFrom(ctx), k.Now()
	if len(a.Site.CheckHours) == 0 {
		return nil, -1, nil
	}
	done, err := k.DB.PlacesChecks(ctx, store.PlacesChecksParams{SiteID: a.Site.ID, Since: at.Add(-checksKept)})
	if err != nil {
		return nil, -1, fmt.Errorf("loading the checks: %w", err)
	}
	list = hoursOfChecks(a.Site.CheckHours, coldchain.Span{From: at.Add(-checksKept), To: at.Add(24 * time.Hour)}, a.Zone(), done)
	if len(done) > 0 { // before its first one a kitchen missed none
		list = slices.DeleteFunc(list, func(h CheckHour) bool { return h.Done == nil && h.At.Before(done[0].At.Add(-24*time.Hour)) })
	} else {
		list = slices.DeleteFunc(list, func(h CheckHour) bool { return h.At.Before(at.Add(-24 * time.Hour)) })
	}
	now = -1
	for i, h := range list {
		if !at.Before(h.At.Add(-readEarly)) {
			now = i
		}
	}
	return list, now, nil
}

// placesCheckDue lists the checks of the places that are due: the last one that nobody signed, or that
// left a place unread, and those to come.
func (k *Kitchen) placesCheckDue(ctx context.Context, until time.Time) ([]Due, error) {
	list, now, err := k.checks(ctx)
	if err != nil {
		return nil, err
	}
	var due []Due
	for i, h := range list {
		if i < now || h.At.After(until) {
			continue
		}
		why := "temperatures, ice"
		if h.Kind != OpeningCheck {
			why = "temperatures, ice, count"
		}
		if h.Done != nil {
			unread, err := k.unreadSince(ctx, h.At.Add(-readEarly))
			if err != nil {
				return nil, err
			}
			if len(unread) == 0 {
				continue
			}
			why = "not read yet: " + strings.Join(unread, ", ")
		}
		due = append(due, Due{Action: assess.Action{Do: h.Kind.Name(), Why: why, Due: h.At}, Check: true})
	}
	return due, nil
}

// unreadSince are the names of the places that are read by hand and were not, since a time.
func (k *Kitchen) unreadSince(ctx context.Context, since time.Time) (names []string, err error) {
	site := ActorFrom(ctx).Site
	l, err := k.layoutOf(ctx, k.DB.Queries, site)
	if err != nil {
		return nil, err
	}
	inUse, err := k.DB.PlacesInUse(ctx, site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading the places in use: %w", err)
	}
	for _, r := range l.rows {
		line := CheckLine{PlaceView: PlaceView{Place: l.places[r.ID]}}
		if useOf(inUse, r.ID).Lots == 0 && !line.Cold() {
			continue
		}
		if err := k.fillCheckLine(ctx, &line); err != nil {
			return nil, err
		}
		if line.Asked && line.SeenAt.Before(since) {
			names = append(names, line.Name)
		}
	}
	return names, nil
}

// CheckLine is a place on the sheet of a check.
type CheckLine struct {
	PlaceView
	Asked  bool               // no instrument measures it: it is read by hand, or its ice looked at
	Beside bool               // a logger measures it, and a thermometer held beside it is due
	Ice    bool               // its fish lies in ice
	SeenAt time.Time          // when a person last read it, or saw its ice; zero for not in the last week
	HasMax bool               // its thermometer shows the highest since it was read
	ByHand *coldchain.Reading // the last by hand; nil for none in the last week
	Lots   []Row
}

// CheckSheet is what a check of the places asks now.
type CheckSheet struct {
	Kind   CheckKind
	Hour   time.Time // zero where the kitchen has no hours for it
	Counts bool      // what is here is counted too
	Done   *store.PlacesChecksRow
	Lines  []CheckLine
	Past   []CheckHour // of the last days, the latest first
}

// iceStays is for how long fish that lay in ice is asked about it (house).
const iceStays = 48 * time.Hour

// besideEvery is how often a thermometer is held beside a logger (house).
const besideEvery = 7 * 24 * time.Hour

// CheckSheet is the sheet of the check that is next, or of one at any time: the cold places and those
// that hold fish, in the order in which one walks past them.
func (k *Kitchen) CheckSheet(ctx context.Context) (CheckSheet, error) {
	sheet := CheckSheet{Kind: BetweenCheck, Counts: true}
	hours, now, err := k.checks(ctx)
	if err != nil {
		return sheet, err
	}
	if now >= 0 {
		h := hours[now]
		sheet.Kind, sheet.Hour, sheet.Done, sheet.Counts = h.Kind, h.At, h.Done, h.Kind != OpeningCheck
		sheet.Past = slices.Clone(hours[:now])
		slices.Reverse(sheet.Past)
	}
	places, err := k.Places(ctx)
	if err != nil {
		return sheet, err
	}
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return sheet, err
	}
	for _, p := range places {
		l := CheckLine{PlaceView: p}
		for _, r := range rows {
			if r.PlaceID == p.ID {
				l.Lots = append(l.Lots, r)
			}
		}
		if !p.Cold() && len(l.Lots) == 0 {
			continue
		}
		if err := k.fillCheckLine(ctx, &l); err != nil {
			return sheet, err
		}
		slices.SortStableFunc(l.Lots, usedFirst)
		sheet.Lines = append(sheet.Lines, l)
	}
	sheet.besideOne()
	slices.SortStableFunc(sheet.Lines, func(a, b CheckLine) int {
		if d := a.Column - b.Column; d != 0 {
			return d
		}
		return b.Level - a.Level
	})
	return sheet, nil
}

// besideOne leaves of the places where a thermometer is due beside the logger one a check.
func (s *CheckSheet) besideOne() {
	found := false
	for i := range s.Lines {
		l := &s.Lines[i]
		l.Beside = l.Beside && !found
		found = found || l.Beside
	}
}

// fillCheckLine says what is asked of a place that is cold or holds fish.
func (k *Kitchen) fillCheckLine(ctx context.Context, l *CheckLine) error {
	now := k.Now()
	logged, byHand := false, []int64{}
	for _, p := range l.Place.Probes {
		switch {
		case p.Maximum:
			l.HasMax = true
		case p.ByHand:
			byHand = append(byHand, p.ProbeID)
		case p.To.After(now):
			logged = true
		}
	}
	if len(byHand) > 0 {
		rows, err := k.DB.LastReading(ctx, store.LastReadingParams{SiteID: ActorFrom(ctx).Site.ID, Probes: byHand, Since: now.Add(-besideEvery)})
		if err != nil {
			return err
		}
		for _, r := range rows {
			l.ByHand, l.SeenAt = &coldchain.Reading{At: r.At, Celsius: r.Celsius}, r.At
		}
	}
	l.Asked = !logged
	l.Beside = logged && l.ByHand == nil
	l.Ice = l.Box != nil || l.Kind == "tote"
	for _, look := range append(slices.Clone(l.Seen), l.Place.Ice.Sightings()...) {
		if look.Ice && now.Sub(look.At) < iceStays {
			l.Ice = true
			if look.At.After(l.SeenAt) {
				l.SeenAt = look.At
			}
		}
	}
	return nil
}

// PlacesCheck is a check as a person signs it.
type PlacesCheck struct {
	ID    uuid.UUID // from the client: sent twice, it is one
	Kind  CheckKind
	At    time.Time
	Lines []PlacesCheckLine
	Lots  []CountedLot // what is not as it was written down
}

// PlacesCheckLine is what was seen in a place.
type PlacesCheckLine struct {
	PlaceID  int64
	Celsius  *float64
	MaximumC *float64
	Ice      bool
	AllHere  bool
}

// CountedLot is a lot that was not found, in part or all of it, or that lay somewhere else.
type CountedLot struct {
	Write
	Field string // of the form, for what is wrong with it
}

// CheckPlaces signs a check: what was read, the ice that was seen, and what was not found where it was
// written down to be, in one. A place that nobody read stays due. Errors are on the fields
// celsius-<place>, maximum-<place>, and the fields of the lots.
func (k *Kitchen) CheckPlaces(ctx context.Context, in PlacesCheck) error {
	bad := in.check(k.Now())
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		n, err := c.AddPlacesCheck(ctx, store.AddPlacesCheckParams{SiteID: c.a.Site.ID, ID: in.ID, Kind: string(in.Kind), At: in.At,
			RecordedAt: k.Now(), PersonID: c.a.Person.ID})
		if err != nil || n == 0 {
			return err
		}
		slices.SortFunc(in.Lines, func(a, b PlacesCheckLine) int { return int(a.PlaceID - b.PlaceID) }) // one order for all who lock them
		var read []int64
		for _, l := range in.Lines {
			if err := c.checkPlace(ctx, in, l); err != nil {
				return err
			}
			read = append(read, l.PlaceID)
		}
		if err := c.countLots(ctx, in.Lots); err != nil {
			return err
		}
		return k.refreshOnHand(ctx, c.Tx, c.a.Site, func(b store.LotBoard) bool { return slices.Contains(read, b.PlaceID) })
	})
}

// check appends what is wrong with it, before any place is looked up.
func (in PlacesCheck) check(now time.Time) (bad invalid.Errors) {
	if in.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	if !slices.Contains([]CheckKind{OpeningCheck, BetweenCheck, ClosingCheck}, in.Kind) {
		bad.Add("kind", "say which check it is")
	}
	for _, l := range in.Lines {
		if l.Celsius == nil && l.MaximumC == nil {
			continue
		}
		for _, e := range (HandReading{Celsius: l.Celsius, MaximumC: l.MaximumC, At: in.At}).check(now) {
			bad.Add(fmt.Sprintf("%s-%d", e.Field, l.PlaceID), "%s", e.Message)
		}
	}
	return bad
}

// checkPlace stores what was seen in a place.
func (c *change) checkPlace(ctx context.Context, in PlacesCheck, l PlacesCheckLine) error {
	place, err := lockPlace(ctx, c.Tx, c.a.Site.ID, l.PlaceID)
	if err != nil {
		return err
	}
	if err := c.k.putHandReading(ctx, c.Tx, c.a, place, HandReading{Celsius: l.Celsius, MaximumC: l.MaximumC, At: in.At}); err != nil {
		return err
	}
	if l.Ice {
		if err := c.AddIce(ctx, store.AddIceParams{SiteID: c.a.Site.ID, ID: uuid.NewSHA1(in.ID, fmt.Appendf(nil, "ice %d", l.PlaceID)),
			PlaceID: l.PlaceID, At: in.At, RecordedAt: c.k.Now(), PersonID: c.a.Person.ID, Kind: string(icing.Seen)}); err != nil {
			return err
		}
	}
	if err := c.MarkPlaceStale(ctx, store.MarkPlaceStaleParams{SiteID: c.a.Site.ID, PlaceID: l.PlaceID, FromAt: in.At}); err != nil {
		return err
	}
	return c.AddPlacesCheckLine(ctx, store.AddPlacesCheckLineParams{SiteID: c.a.Site.ID, CheckID: in.ID, PlaceID: l.PlaceID,
		Celsius: real32(l.Celsius), MaximumC: real32(l.MaximumC), Ice: l.Ice, AllHere: l.AllHere})
}

// real32 is a value as readings are kept.
func real32(v *float64) *float32 {
	if v == nil {
		return nil
	}
	is := float32(*v)
	return &is
}

// countLots writes what the count found. Errors are on the fields of the lots.
func (c *change) countLots(ctx context.Context, counted []CountedLot) error {
	writes := make([]Write, len(counted))
	for i, l := range counted {
		writes[i] = l.Write
	}
	lots, err := c.open(ctx, writes...)
	if err != nil {
		return err
	}
	var bad invalid.Errors
	for i, l := range lots {
		if l == nil {
			continue
		}
		err := c.append(ctx, l, counted[i].Write)
		var wrong invalid.Errors
		if errors.As(err, &wrong) {
			for _, e := range wrong {
				bad.Add(counted[i].Field, "%s: %s", l.state.Received.Code, e.Message)
			}
		} else if err != nil {
			return err
		}
	}
	return bad.Err()
}
