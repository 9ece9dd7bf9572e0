package store_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// twoSites makes two kitchens, each with a place, a probe and a reading.
func twoSites(t *testing.T) (db *store.DB, sites []store.Site, probes []store.Probe) {
	t.Helper()
	db = storetest.New(t)
	all := store.Everywhere(context.Background())
	for _, name := range []string{"one", "two"} {
		site, err := db.AddSite(all, store.AddSiteParams{Slug: name, Name: name, TimeZone: "UTC", Profile: "eu",
			ServiceHours: []string{}})
		must(t, err)
		ctx := store.WithSite(context.Background(), site.ID)
		p, err := db.AddProbe(ctx, store.AddProbeParams{SiteID: site.ID, Name: "probe", Kind: "fixed", IntervalS: 60})
		must(t, err)
		must(t, db.Write(ctx, func(tx *store.Tx) error { // by COPY, which row-level security does not know
			_, err := tx.PutReadings(ctx, p,
				store.BatchOf([]coldchain.Reading{{At: time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC), Celsius: 1}}))
			return err
		}))
		sites, probes = append(sites, site), append(probes, p)
	}
	return db, sites, probes
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// The second lock holds by itself: a query that asks for another kitchen's rows,
// or for all, gets those of the kitchen in force.
func TestTheFenceShowsOneSite(t *testing.T) {
	db, sites, probes := twoSites(t)
	one, nowhere := store.WithSite(context.Background(), sites[0].ID), context.Background()
	if list, err := db.Sites(one); err != nil || len(list) != 1 || list[0].ID != sites[0].ID {
		t.Errorf("sites: %v, %v", list, err)
	}
	if list, err := db.Sites(nowhere); err != nil || len(list) != 0 {
		t.Errorf("without a site: %v, %v", list, err)
	}
	for i, want := range []int{1, 0} {
		list, err := db.Probes(one, sites[i].ID)
		if err != nil || len(list) != want {
			t.Errorf("probes of site %d: %v, %v", i, list, err)
		}
		readings, err := db.ReadingsBetween(one,
			store.ReadingsBetweenParams{SiteID: sites[i].ID, ProbeID: probes[i].ID, FromAt: time.Unix(0, 0),
				ToAt: time.Now().AddDate(10, 0, 0)})
		if err != nil || len(readings) != want {
			t.Errorf("readings of site %d: %v, %v", i, readings, err)
		}
	}
	refused := func(what, code string, err error) {
		t.Helper()
		var pg *pgconn.PgError
		if !errors.As(err, &pg) || pg.Code != code {
			t.Errorf("%s: %v, want SQLSTATE %s", what, err, code)
		}
	}
	_, err := db.AddProbe(one, store.AddProbeParams{SiteID: sites[1].ID, Name: "stray", Kind: "fixed", IntervalS: 60})
	refused("a probe for another site", "42501", err)
	_, err = db.AccountByName(one, "mara")
	refused("reading accounts", "42501", err)
	_, err = db.PIN(one, store.PINParams{SiteID: sites[0].ID, PersonID: 1})
	refused("reading PINs", "42501", err)
	err = db.Write(one, func(tx *store.Tx) error {
		_, err := tx.Exec(one, "select * from reading_2026_03")
		return err
	})
	refused("reading a month past its parent", "42501", err)
	err = db.Write(one, func(tx *store.Tx) error {
		tag, err := tx.Exec(one, "update probe set name = 'mine'")
		if tag.RowsAffected() != 1 {
			t.Errorf("an update without a condition changed %d probes", tag.RowsAffected())
		}
		return err
	})
	must(t, err)
	// Connections change sites, and forget none of it.
	for range 5 {
		for i := range sites {
			list, err := db.Sites(store.WithSite(context.Background(), sites[i].ID))
			if err != nil || len(list) != 1 || list[0].ID != sites[i].ID {
				t.Fatalf("site %d sees %v, %v", i, list, err)
			}
		}
	}
}

// Every table with the rows of a site is behind the fence, those to come too.
func TestEveryTableIsFenced(t *testing.T) {
	db := storetest.New(t)
	rows, err := db.Pool.Query(context.Background(),
		`select c.relname, c.relrowsecurity and exists (select from pg_policies p where p.tablename = c.relname and p.policyname = 'fence')
		from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attname = 'site_id' and not a.attisdropped
		where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition`)
	must(t, err)
	n := 0
	for rows.Next() {
		var name string
		var fenced bool
		must(t, rows.Scan(&name, &fenced))
		if n++; !fenced {
			t.Errorf("%s has a site_id and no fence", name)
		}
	}
	must(t, rows.Err())
	if n < 30 {
		t.Errorf("only %d tables looked at", n)
	}
}

// The audit is append-only for whoever serves.
func TestTheAuditIsAppendOnly(t *testing.T) {
	db, sites, _ := twoSites(t)
	ctx := store.WithSite(context.Background(), sites[0].ID)
	must(t, db.AddAudit(ctx, store.AddAuditParams{SiteID: sites[0].ID, Seq: 1, At: time.Now(), Act: "x",
		PrevHash: []byte{}, Hash: []byte{}}))
	for _, sql := range []string{"update audit set name = 'other'", "delete from audit", "truncate audit"} {
		if _, err := db.Pool.Exec(ctx, sql); err == nil {
			t.Errorf("%s went through", sql)
		}
	}
}
