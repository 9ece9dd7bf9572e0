package kitchen_test

import (
	"context"
	"errors"
	"testing"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// again is a person's context with the kitchen as it is by now.
func (b *bench) again(ctx context.Context) context.Context {
	b.t.Helper()
	a := kitchen.ActorFrom(ctx)
	site, err := b.SiteBySlug(ctx, a.Site.Slug)
	b.must(err)
	a.Site = site
	return kitchen.WithActor(ctx, a)
}

// A fish that nobody finds comes in with a delivery, under every rule; a manager completes it, and what
// lies of it is assessed anew. Each version stays on file.
func TestAnUnlistedFish(t *testing.T) {
	b := newBench(t)
	name := "Kutum"
	line := b.line(kitchen.ActorFrom(b.ctx).Site.Catalogue().Unlisted(name).ID)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, Lines: append(b.lines("cod"), line, line)}
	if err := b.Receive(b.ctx, d); err == nil {
		t.Error("a species that nobody named came in")
	}
	d.Unlisted = []string{name, name}
	b.must(b.Receive(b.ctx, d))
	b.must(b.Receive(b.ctx, d)) // sent twice
	b.ctx, b.manager = b.again(b.ctx), b.again(b.manager)
	note, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	if len(note.Rows) != 3 || note.Rows[1].Species.Name != name || note.Rows[1].Species.ID != note.Rows[2].Species.ID {
		t.Fatalf("%+v", note.Rows)
	}
	card, err := b.Card(b.ctx, note.Rows[1].LotID)
	b.must(err)
	if a := card.Assessment; a.Model != coldchain.Mixed || a.Shelf > 3 {
		t.Errorf("%s, %v days", a.Model, a.Shelf)
	}
	catalogue := kitchen.ActorFrom(b.ctx).Site.Catalogue()
	s, ok := catalogue.Find(name)
	if !ok || s.House == nil || s.House.Version != 1 {
		t.Fatalf("%+v", s)
	}
	s.Habitat, s.Ciguatera, s.ShelfLife = "temperate", false, species.Range{Lo: 8, Hi: 14}
	if err := b.SaveSpecies(b.ctx, s); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("a buyer edits a species: %v", err)
	}
	house := *s.House
	s.House = &house
	b.must(b.SaveSpecies(b.manager, s))
	s.House.Version = 1
	if err := b.SaveSpecies(b.manager, s); err == nil {
		t.Error("a version that somebody else saved already was overwritten")
	}
	b.ctx, b.manager = b.again(b.ctx), b.again(b.manager)
	after, err := b.Row(b.ctx, note.Rows[1].LotID)
	b.must(err)
	if after.Species.ShelfLife.Lo != 8 || after.LeftDays <= note.Rows[1].LeftDays {
		t.Errorf("%v days left, were %v", after.LeftDays, note.Rows[1].LeftDays)
	}
	versions, err := b.SpeciesVersions(b.ctx, s.ID)
	b.must(err)
	if len(versions) != 2 || versions[0].House.Version != 2 || versions[1].ShelfLife.Lo != 3 || versions[0].By != "Mara" {
		t.Errorf("%+v", versions)
	}
}

// A species by its kin keeps all its kin's hazards, and cannot be edited to be milder.
func TestASpeciesOfItsKin(t *testing.T) {
	b := newBench(t)
	var bad invalid.Errors
	for field, c := range map[string][2]string{"kin": {"codd", "Kutum"}, "name": {"cod", "mackerel"}} {
		if _, err := b.CopySpecies(b.manager, c[0], c[1]); !errors.As(err, &bad) || bad.On(field) == "" {
			t.Errorf("%v: %v", c, err)
		}
	}
	if _, err := b.CopySpecies(b.ctx, "cod", "Kutum"); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("a buyer makes a species: %v", err)
	}
	made, err := b.CopySpecies(b.manager, "mackerel", "Island mackerel")
	b.must(err)
	b.manager = b.again(b.manager)
	made.Histamine = species.NotFormer
	if err := b.SaveSpecies(b.manager, made); !errors.As(err, &bad) || bad.On("histamine_former") == "" {
		t.Errorf("milder than its kin: %v", err)
	}
	cod, _ := species.Builtin().Get("cod")
	cod.House = &species.House{}
	if err := b.SaveSpecies(b.manager, cod); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("a species of the application is edited: %v", err)
	}
	found, _, err := b.FindSpecies(b.manager, "island", 5)
	b.must(err)
	if len(found) != 1 || found[0].ID != made.ID {
		t.Errorf("found %v", found)
	}
}

// Of the fish that one name stands for, what this kitchen buys stands first; and it is asked about.
func TestFindSpecies(t *testing.T) {
	b := newBench(t)
	b.receive("pacific-cod", "pacific-cod", "cod", "sablefish", "sablefish", "sablefish")
	found, meant, err := b.FindSpecies(b.ctx, "cod", 8)
	b.must(err)
	if meant.ID != "" || found[0].ID != "pacific-cod" || found[1].ID != "cod" {
		t.Errorf("meant %q, found %v", meant.ID, found)
	}
	if found, meant, err = b.FindSpecies(b.ctx, "haddock", 8); err != nil || meant.ID != "haddock" || found[0].ID != "haddock" {
		t.Errorf("meant %q, %v", meant.ID, err)
	}
}
