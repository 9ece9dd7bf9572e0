package store_test

import (
	"context"
	"errors"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
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

// The login that serves needs no right but to take the two roles: it serves, behind the fence and outside
// it, and by itself sees, changes and migrates nothing.
func TestTheServingLogin(t *testing.T) {
	owner, sites, probes := twoSites(t)
	ctx := context.Background()
	login := "serve_" + strings.ReplaceAll(uuid.NewString(), "-", "")
	_, err := owner.Pool.Exec(ctx, "create role "+login+" login noinherit password 'secret' in role leancatch_app, leancatch_all")
	must(t, err)
	t.Cleanup(func() {
		if _, err := owner.Pool.Exec(ctx, "drop role "+login); err != nil {
			t.Error(err)
		}
	})
	u, err := url.Parse(owner.Pool.Config().ConnString())
	must(t, err)
	u.User = url.UserPassword(login, "secret")
	db, err := store.Open(ctx, u.String())
	must(t, err)
	defer db.Close()
	must(t, db.Migrated(ctx))
	must(t, db.CheckPooler(ctx))
	one := store.WithSite(ctx, sites[0].ID)
	if list, err := db.Sites(one); err != nil || len(list) != 1 {
		t.Errorf("behind the fence: %v, %v", list, err)
	}
	if list, err := db.Sites(store.Everywhere(ctx)); err != nil || len(list) != 2 {
		t.Errorf("outside: %v, %v", list, err)
	}
	var many []coldchain.Reading
	for i := range 5000 {
		many = append(many, coldchain.Reading{At: time.Date(2026, 3, 30, 0, i, 0, 0, time.UTC), Celsius: 1})
	}
	must(t, db.Write(one, func(tx *store.Tx) error {
		for _, b := range []store.Batch{store.BatchOf(many[:3]), store.BatchOf(many[3:])} { // inserted, and copied over the end of a month
			if n, err := tx.PutReadings(one, probes[0], b); err != nil || n != int64(b.Count) {
				t.Errorf("%d of %d readings: %v", n, b.Count, err)
			}
		}
		return nil
	}))
	for what, sql := range map[string]string{"the fence is left": "reset role; select * from site",
		"the session is left": "set session authorization default; select * from site", "a table goes": "set role leancatch_all; drop table site",
		"what happened is changed": "set role leancatch_all; update lot_event set recorded_at = now()",
		"the audit is emptied":     "set role leancatch_all; delete from audit", "readings are dropped": "set role leancatch_all; select drop_readings_before(now())",
		"a lock is lifted": "set role leancatch_all; alter table site disable row level security"} {
		conn, err := db.Pool.Acquire(ctx)
		must(t, err)
		if _, err := conn.Conn().PgConn().Exec(ctx, sql).ReadAll(); err == nil {
			t.Errorf("%s: it can", what)
		}
		conn.Conn().Close(ctx)
		conn.Release()
	}
	must(t, owner.Unmigrate(ctx, 19))
	if err := db.Migrated(ctx); !errors.Is(err, store.ErrSchema) {
		t.Errorf("an older schema: %v", err)
	}
	if err := db.Migrate(ctx); err == nil {
		t.Error("it migrates")
	}
	must(t, owner.Migrate(ctx))
}

// Two who store the same at once both succeed: the second runs again, and finds it there.
func TestWriteFindsWhatIsStoredAtOnce(t *testing.T) {
	db, sites, _ := twoSites(t)
	ctx := store.WithSite(context.Background(), sites[0].ID)
	tries := 0
	err := db.Write(ctx, func(tx *store.Tx) error {
		if tries++; tries == 2 {
			return nil // it finds that it is there
		}
		_, err := tx.AddProbe(ctx, store.AddProbeParams{SiteID: sites[0].ID, Name: "probe", Kind: "fixed", IntervalS: 60})
		return err
	})
	if err != nil || tries != 2 {
		t.Errorf("%d tries: %v", tries, err)
	}
}

// What a request left behind is known, where it can be.
func TestOutcome(t *testing.T) {
	db, sites, _ := twoSites(t)
	ctx := store.WithOutcome(store.WithSite(context.Background(), sites[0].ID))
	broken := errors.New("broken")
	if err := db.Write(ctx, func(*store.Tx) error { return broken }); !errors.Is(err, broken) || !store.NothingStored(ctx) {
		t.Errorf("an error: %v, nothing stored %t", err, store.NothingStored(ctx))
	}
	// The server is cut off before it can answer to the commit.
	err := db.Write(ctx, func(tx *store.Tx) error {
		tx.Conn().PgConn().Conn().Close()
		return nil
	})
	var unclear *store.Unclear
	if !errors.As(err, &unclear) || !store.IsAway(err) || store.NothingStored(ctx) {
		t.Errorf("a commit without an answer: %v, nothing stored %t", err, store.NothingStored(ctx))
	}
	done := store.WithOutcome(ctx)
	must(t, db.Write(done, func(*store.Tx) error { return nil }))
	if store.NothingStored(done) || store.NothingStored(context.Background()) {
		t.Error("something was stored, or nobody knows")
	}
}
