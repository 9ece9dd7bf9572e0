package web

import (
	"net/url"
	"strings"
	"testing"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// box takes a box of cod in and returns the path of its inspection.
func (s *site) box(count int) string {
	s.t.Helper()
	line := s.received()
	line.Count, line.WeightKg = count, float64(count)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: s.k.Now(),
		Lines: []lot.Received{line}}
	s.must(s.k.Receive(s.ctx, d))
	docket, err := s.k.DeliveryNote(s.ctx, d.ID)
	s.must(err)
	return "/k/quay/lots/" + docket.Rows[0].LotID.String() + "/inspect"
}

// received is the line that the served lot came in with.
func (s *site) received() lot.Received {
	s.t.Helper()
	card, err := s.k.Card(s.ctx, s.lot.LotID)
	s.must(err)
	return card.State.Received
}

// The form carries the fish seen so far; whatever comes back in it is read or
// refused, never a crash, and never more fish than there are.
func TestTheFormOfABoxIsNotTrusted(t *testing.T) {
	s := serve(t)
	path := s.box(12)
	sound := `{"eyes":0,"gills":0,"smell":0,"press":0,"skin":0}`
	many := "[" + strings.TrimSuffix(strings.Repeat(sound+",", 13), ",") + "]"
	for name, c := range map[string]struct {
		fields url.Values
		status int
		says   string
	}{
		"no fields at all":          {url.Values{}, 200, "Choose what you see"},
		"fish that are no list":     {url.Values{"fish": {`{"eyes":`}, "sign-smell": {"0"}}, 200, "1/5 signs"},
		"a fish far beyond":         {url.Values{"at": {"9999999"}, "sign-smell": {"0"}}, 200, "1/5 signs"},
		"a fish before the first":   {url.Values{"at": {"-4"}, "sign-smell": {"0"}}, 200, "1/5 signs"},
		"back to a fish that isn't": {url.Values{"do": {"fish-77"}, "sign-smell": {"0"}}, 200, "Fish 1"},
		"a level that is none":      {url.Values{"sign-smell": {"9"}}, 422, "is not a level of this sign"},
		"a level below none": {url.Values{"fish": {`[{"smell":-1}]`}, "at": {"1"}}, 422,
			"is not a level of this sign"},
		"a sign of another scheme": {url.Values{"sign-bloodline": {"1"}}, 422, "is not a sign of this scheme"},
		"an explanation that isn't": {url.Values{"sign-press": {"2"}, "explain": {"magic"}}, 422,
			"is not an explanation"},
		"a finding that isn't": {url.Values{"sign-press": {"0"}, "found": {"gold"}}, 422, "is not a finding"},
		"a scheme of other fish": {url.Values{"scheme": {"frozen"}, "sign-smell": {"0"}}, 422,
			"is not made for this form"},
		"the next of an unseen one": {url.Values{"do": {"next"}}, 200, "Fish 1"},
	} {
		if c.fields.Get("scheme") == "" {
			c.fields.Set("scheme", "quick")
		}
		status, page := s.submit(path+"/look", c.fields)
		if status != c.status || !strings.Contains(page, c.says) {
			t.Errorf("%s: status %d, want %d and %q", name, status, c.status, c.says)
		}
	}
	event := kitchen.NewID().String()
	if status, page := s.submit(path, url.Values{"event_id": {event}, "scheme": {"quick"}, "fish": {many},
		"at": {"13"}}); status != 422 || !strings.Contains(page, "more than the 12 of the lot") {
		t.Errorf("thirteen of twelve: status %d", status)
	}
	if status, page := s.submit(path, url.Values{"event_id": {event}, "scheme": {"quick"}}); status != 422 ||
		!strings.Contains(page, "choose at least one sign") {
		t.Errorf("nothing seen: status %d", status)
	}
	// What was rightly seen is recorded once, however often it is sent.
	form := url.Values{"event_id": {event}, "scheme": {"quick"}, "fish": {"[" + sound + "," + sound + "]"},
		"at": {"2"}, "sign-eyes": {"1"}, "sign-smell": {"0"}, "sign-gills": {"0"}, "sign-press": {"0"},
		"sign-skin": {"0"}}
	for range 2 {
		if status, page := s.submit(path, form); status != 200 || strings.Count(page, "quick: 3 fish") != 1 {
			t.Errorf("recording it: status %d", status)
		}
	}
}

// Another fish of the box keeps those seen, and leads back to them.
func TestABoxRemembersItsFish(t *testing.T) {
	s := serve(t)
	path := s.box(9)
	form := url.Values{"scheme": {"quick"}, "do": {"next"}, "sign-smell": {"2"}, "found": {"hook"}}
	_, page := s.submit(path+"/look", form)
	if !strings.Contains(page, "Fish 2") || !strings.Contains(page, "A hard stop opens the whole box") ||
		!strings.Contains(page, "of 9") {
		t.Error("the second fish does not remember the first")
	}
	fish := page[strings.Index(page, `name="fish" value="`)+len(`name="fish" value="`):]
	fish = strings.ReplaceAll(fish[:strings.Index(fish, `"`)], "&#34;", `"`)
	if fish != `[{"findings":["hook"],"smell":2},{}]` {
		t.Errorf("it carries %s", fish)
	}
	_, page = s.submit(path+"/look", url.Values{"scheme": {"quick"}, "fish": {fish}, "at": {"1"}, "sign-eyes": {"0"},
		"do": {"fish-1"}})
	if !strings.Contains(page, `name="sign-smell" value="2" checked`) || !strings.Contains(page,
		`value="hook" checked`) || strings.Contains(page, `name="sign-eyes" value="0" checked`) {
		t.Error("back at the first fish it shows another")
	}
}
