package web

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/api"
	"leancatch/internal/core/access"
	"leancatch/internal/core/ageing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// mark is in every name of the other kitchen: it must come through nowhere.
const mark = "Marlinspike"

// neighbour is another kitchen with something of everything, each with an id.
func neighbour(t *testing.T, s *site) (ids map[string][]string, ctx context.Context) {
	t.Helper()
	made, err := s.k.AddSite(context.Background(),
		kitchen.Setup{Name: mark, TimeZone: "UTC", Profile: "eu",
			People: []kitchen.NewPerson{{Name: mark + " Una", Role: "owner", PIN: "4071"}},
			Places: []kitchen.NewPlace{{Name: mark + " walk-in", Kind: "walk_in", SetC: 1},
				{Name: mark + " freezer", Kind: "freezer", SetC: -24},
				{Name: mark + " ager", Kind: "ager", SetC: 1.5}}})
	s.must(err)
	in := store.WithSite(context.Background(), made.ID)
	people, err := s.k.DB.People(in, made.ID)
	s.must(err)
	ctx = kitchen.WithActor(context.Background(), kitchen.Actor{Site: made, Person: kitchen.Person(people[0])})
	places, err := s.k.DB.Places(ctx, made.ID)
	s.must(err)
	number := func(n int64) string { return strconv.FormatInt(n, 10) }
	ids = map[string][]string{"places": {number(places[0].ID), number(places[1].ID), number(places[2].ID)},
		"people": {number(people[0].ID)}}
	p, err := s.k.AddProbe(ctx, kitchen.NewProbe{Name: mark + "-probe", Kind: kitchen.Fixed, PlaceID: places[0].ID})
	s.must(err)
	ids["probes"] = []string{number(p.ID)}
	caught, core := s.k.Now().Add(-24*time.Hour), 0.5
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: mark + " Landing", ArrivedAt: s.k.Now().Add(-time.Hour),
		Lines: []lot.Received{{SpeciesID: "cod", Form: "whole", Count: 1,
			WeightKg: 2, CoreC: &core, Ice: "well_iced",
			LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierLot: mark + "-7",
			PlaceID: places[0].ID}}}
	s.must(s.k.Receive(ctx, d))
	docket, err := s.k.DeliveryNote(ctx, d.ID)
	s.must(err)
	ids["dockets"], ids["lots"] = []string{d.ID.String()}, []string{docket.Rows[0].LotID.String()}
	ids["suppliers"] = []string{number(docket.Rows[0].SupplierID)}
	secret, err := s.k.EnrolDevice(ctx, mark+" tablet")
	s.must(err)
	device, err := s.k.DeviceOf(context.Background(), secret)
	s.must(err)
	ids["devices"] = []string{device.ID.String()}
	_, err = s.k.AddToken(ctx, kitchen.NewToken{Name: mark + " token", Scopes: []access.Scope{access.ScopeRead}})
	s.must(err)
	tokens, err := s.k.Tokens(ctx)
	s.must(err)
	ids["tokens"] = []string{number(tokens[0].ID)}
	_, err = s.k.Impersonate(context.Background(), made, people[0].ID, kitchen.Origin{})
	s.must(err)
	sessions, err := s.k.Sessions(ctx)
	s.must(err)
	ids["sessions"] = []string{sessions[0].ID.String()}
	file, err := s.k.KeepFile(ctx, mark+".csv", strings.NewReader("time,temp\n2026-01-01 06:00,1.5\n"))
	s.must(err)
	ids["import"] = []string{file.String()}
	plan := kitchen.NewAgeingPlan{ID: kitchen.NewID(),
		Plan: ageing.Plan{Reference: mark + " plan", MaxDays: 14, MaxC: 2}}
	s.must(s.k.AddAgeingPlan(ctx, plan))
	ids["ager/plans"] = []string{plan.ID.String()}
	return ids, ctx
}

// Every route and every call of the API, with another kitchen's ids: nothing of it
// is told, and nothing of it changes.
func TestNothingLeaksBetweenKitchens(t *testing.T) {
	s, cookie := staffed(t)
	ids, there := neighbour(t, s)
	server, err := New(s.k, slog.New(slog.DiscardHandler), Options{})
	s.must(err)
	h := httptest.NewServer(server.Handler())
	t.Cleanup(h.Close)
	s.Server = h
	before := everything(t, s, there)
	var all []string
	for _, list := range ids {
		all = append(all, list...)
	}
	look := func(name, path string, res *http.Response) {
		t.Helper()
		if strings.Contains(path, "/live") {
			return
		}
		body, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
		s.must(err)
		if bytes.Contains(body, []byte(mark)) || strings.Contains(res.Header.Get("Location"), mark) {
			t.Errorf("%s: tells of the other kitchen", name)
		}
		if res.StatusCode >= 500 {
			t.Errorf("%s: status %d", name, res.StatusCode)
		}
	}
	tried := 0
	for _, r := range slices.Concat(server.routes(), server.api.Routes()) {
		if r.Right == access.Anyone && !strings.Contains(r.Path, ":") {
			continue
		}
		candidates := all
		for kind, list := range ids {
			if strings.Contains(r.Path, "/"+kind+"/:") {
				candidates = list
			}
		}
		for _, id := range candidates {
			path := parameter.ReplaceAllStringFunc(r.Path, func(p string) string {
				switch p {
				case ":site":
					return "quay"
				case ":kind":
					return "moved"
				case ":what":
					return "leave"
				}
				return id
			})
			body := url.Values{}
			for _, field := range []string{"place_id", "probe", "lot", "supplier", "person", "to", "place_id", "plan",
				"letter", "ask-person"} {
				body.Set(field, id)
			}
			body.Set("event_id_new", uuid.NewString())
			body.Set("role", "crew")
			body.Set("pin", "8315")
			name := r.Method + " " + path
			if strings.HasPrefix(r.Path, api.Path) {
				req, err := http.NewRequest(r.Method, s.URL+path,
					strings.NewReader(`[{"n":"`+mark+`-probe","u":"Cel","v":7.5}]`))
				s.must(err)
				req.Header.Set("Authorization", "Bearer "+s.quay.Token)
				req.Header.Set("Content-Type", "application/senml+json")
				res, err := http.DefaultClient.Do(req)
				s.must(err)
				if !strings.HasSuffix(path, "/readings") { // which says the name it was sent
					look(name, path, res)
				}
				res.Body.Close()
				continue
			}
			if r.Method == "GET" {
				path += "?" + body.Encode()
			}
			res := s.open(r.Method, path, cookie(access.Owner), body)
			look(name, path, res)
			if strings.Contains(r.Path, "/:id") && res.StatusCode < 300 {
				t.Errorf("%s: status %d", name, res.StatusCode)
			}
			res.Body.Close()
			tried++
		}
		// The other kitchen's own address is nothing.
		if strings.HasPrefix(r.Path, sitePath) {
			path := parameter.ReplaceAllString(strings.Replace(r.Path, ":site", strings.ToLower(mark), 1), all[0])
			if res := s.send(r.Method, path, cookie(access.Owner), nil); res.StatusCode != 404 {
				t.Errorf("%s %s: status %d", r.Method, path, res.StatusCode)
			}
		}
	}
	if tried < 300 {
		t.Errorf("only %d calls were tried", tried)
	}
	if after := everything(t, s, there); after != before {
		t.Errorf("the other kitchen changed:\n%s\n%s", before, after)
	}
}

// everything is a sum over all rows of a kitchen but those of its clocks.
func everything(t *testing.T, s *site, ctx context.Context) string {
	t.Helper()
	site := kitchen.ActorFrom(ctx).Site.ID
	names, err := s.k.DB.Pool.Query(ctx,
		`select distinct c.relname from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attname = 'site_id' and not a.attisdropped
		where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition order by 1`)
	s.must(err)
	var tables []string
	for names.Next() {
		var name string
		s.must(names.Scan(&name))
		tables = append(tables, name)
	}
	var out strings.Builder
	for _, name := range tables {
		var sum string
		err := s.k.DB.Pool.QueryRow(ctx,
			"select count(*) || ' ' || coalesce(md5(string_agg(x::text, ',' order by x::text)), '') from "+name+
				" x where site_id = $1", site).Scan(&sum)
		s.must(err)
		out.WriteString(name + " " + sum + "\n")
	}
	return out.String()
}
