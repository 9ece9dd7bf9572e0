// Package kitchentest makes a kitchen for the tests of what is built on one.
package kitchentest

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// Quay is a kitchen of that name with one lot of cod in a walk-in, which has the probe
// walk-in-1.
type Quay struct {
	*kitchen.Kitchen
	Ctx   context.Context // its manager Mara acts
	Lot   kitchen.Row
	Token string // of the JSON API, as Mara, to read and write
}

// NewQuay makes it in a database that is dropped after the test.
func NewQuay(t testing.TB) *Quay {
	t.Helper()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	q := &Quay{Kitchen: kitchen.New(storetest.New(t), slog.New(slog.DiscardHandler))}
	ctx := context.Background()
	site, err := q.AddSite(ctx, kitchen.Setup{Name: "Quay", TimeZone: "UTC", Profile: "eu",
		People: []kitchen.NewPerson{{Name: "Mara", Role: "manager"}},
		Places: []kitchen.NewPlace{{Name: "Walk-in", Kind: "walk_in", SetC: 1, Contact: true}}})
	must(err)
	ctx = store.WithSite(ctx, site.ID)
	people, err := q.DB.People(ctx, site.ID)
	must(err)
	places, err := q.DB.Places(ctx, site.ID)
	must(err)
	q.Ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[0])})
	_, err = q.AddProbe(q.Ctx, kitchen.NewProbe{Name: "walk-in-1", Kind: kitchen.Fixed, PlaceID: places[0].ID})
	must(err)
	caught, core := q.Now().Add(-24*time.Hour), 0.5
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: q.Now().Add(-time.Hour),
		Lines: []lot.Received{{SpeciesID: "cod", Form: "whole", Count: 1, WeightKg: 2, CoreC: &core, Ice: "well_iced",
			LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, PlaceID: places[0].ID}}}
	must(q.Receive(q.Ctx, d))
	note, err := q.DeliveryNote(q.Ctx, d.ID)
	must(err)
	q.Lot = note.Rows[0]
	q.Token, err = q.AddToken(q.Ctx, kitchen.NewToken{Name: "test",
		Scopes: []access.Scope{access.ScopeRead, access.ScopeWrite}})
	must(err)
	return q
}

// Call sends a request with the token to a server at a URL and returns the status and
// the JSON answer. Headers are pairs of name and value. An error of the API must be
// problem details.
func (q *Quay) Call(t testing.TB, url, method, path, contentType, body string, headers ...string) (int,
	map[string]any) {
	t.Helper()
	req, err := http.NewRequest(method, url+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+q.Token)
	req.Header.Set("Content-Type", contentType)
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]any{}
	if strings.Contains(res.Header.Get("Content-Type"), "json") {
		if err := json.Unmarshal(text, &out); err != nil {
			t.Fatalf("%s %s: %v in %s", method, path, err, text)
		}
	}
	if res.StatusCode >= 400 && strings.HasPrefix(path, "/api/") &&
		res.Header.Get("Content-Type") != "application/problem+json" {
		t.Errorf("%s %s: status %d as %s", method, path, res.StatusCode, res.Header.Get("Content-Type"))
	}
	return res.StatusCode, out
}
