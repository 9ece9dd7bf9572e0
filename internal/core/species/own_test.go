package species

import (
	"encoding/json"
	"testing"

	"leancatch/internal/core/coldchain"
)

// A species of a kitchen's own takes the careful side of its kin.
func TestCopyOf(t *testing.T) {
	c := Builtin()
	for _, kin := range c.All() {
		s := c.CopyOf(kin, "Kutum")
		if s.ID != "house-kutum" || s.House.Kin != kin.ID || len(s.Aliases) > 0 || s.Farmed != nil {
			t.Fatalf("%s of %s, %+v", s.ID, kin.ID, s.House)
		}
		if kin.Fish() && !(s.ShelfLife.Lo < kin.ShelfLife.Lo) || s.Model() != coldchain.Mixed || s.Parasite != High || s.Ciguatera != kin.Fish() {
			t.Errorf("of %s: %v, %s, parasites %s, reef %v", kin.ID, s.ShelfLife, s.Model(), s.Parasite, s.Ciguatera)
		}
		if h := s.Hazards(); h.and(kin.Hazards()) != h {
			t.Errorf("of %s: %+v, milder than %+v", kin.ID, h, kin.Hazards())
		}
		if bad := c.CheckOwn(s); len(bad) > 0 {
			t.Errorf("of %s: %v", kin.ID, bad)
		}
	}
	cod, _ := c.Get("cod")
	barracuda, _ := c.Get("barracuda") // whose family the catalogue does not clear by itself
	if s := c.CopyOf(cod, "x"); s.HistamineRules() {
		t.Error("the cod family is clear of histamine")
	}
	barracuda.Family = "Unknown"
	if s := c.CopyOf(barracuda, "x"); s.Histamine != Watched {
		t.Errorf("a family that nobody knows: %s", s.Histamine)
	}
}

// A fish that nobody finds is under every rule, and no entry of the catalogue is more careful.
func TestUnlisted(t *testing.T) {
	s := Builtin().Unlisted(" Kutum ")
	if s.Name != "Kutum" || s.House == nil || s.Hazards() != (Hazards{Histamine: true, Ciguatera: true}) || s.Parasite != High ||
		s.Model() != coldchain.Mixed || len(Builtin().CheckOwn(s)) > 0 {
		t.Errorf("%+v, %v", s, Builtin().CheckOwn(s))
	}
	if s.ShelfLife.Lo > 3 {
		t.Errorf("keeps %v days", s.ShelfLife)
	}
}

func TestCatalogueWithOwn(t *testing.T) {
	first := Builtin().Unlisted("Kutum")
	c := Builtin().With([]Species{first})
	if s, ok := c.Find("kutum"); !ok || s.ID != first.ID || len(c.Own()) != 1 || len(c.All()) != len(Builtin().All())+1 {
		t.Fatalf("%v, %d of its own", s.ID, len(c.Own()))
	}
	if s := c.Unlisted("Kutum!"); s.ID == first.ID {
		t.Error("two fish have one id")
	}
	next := first
	next.ShelfLife, next.Aliases, next.House = Range{8, 14}, []string{"white fish of the lake"}, &House{Version: 2}
	text, err := json.Marshal([]Species{next})
	if err != nil {
		t.Fatal(err)
	}
	own, err := ParseOwn(string(text))
	if err != nil {
		t.Fatal(err)
	}
	c = c.With(own)
	if s, ok := c.Find("White fish of the lake"); !ok || s.ShelfLife != next.ShelfLife || s.House.Version != 2 || len(c.Own()) != 1 {
		t.Errorf("%+v", s)
	}
	for _, bad := range []string{"x", `[{"id":"cod"}]`, `[{"id":"house-x"}]`} {
		if _, err := ParseOwn(bad); err == nil {
			t.Errorf("%s was taken", bad)
		}
	}
}

func TestCheckOwn(t *testing.T) {
	mackerel, _ := Builtin().Get("mackerel")
	for name, c := range map[string]struct {
		field  string
		change func(*Species)
	}{
		"a name that is taken": {"name", func(s *Species) { s.Name = "puffer" }}, "an alias that is taken": {"aliases", func(s *Species) { s.Aliases = []string{"Saithe"} }},
		"fish as a shell": {"body", func(s *Species) { s.Body = Bivalve }},
		"no name":         {"name", func(s *Species) { s.Name = " " }}, "milder than kin": {"histamine_former", func(s *Species) { s.Histamine = NotFormer }},
		"no life": {"shelf_life_days", func(s *Species) { s.ShelfLife = Range{} }}, "a long life": {"shelf_life_days", func(s *Species) { s.ShelfLife.Hi = 90 }},
		"no water": {"composition", func(s *Species) { s.Composition = Composition{Protein: 1} }}, "more than all": {"yield_skin_on", func(s *Species) { s.SkinOn.Hi = 1.2 }},
		"a habitat": {"habitat", func(s *Species) { s.Habitat = "pond" }}, "nothing left": {"gutting_loss", func(s *Species) { s.GutLoss = 0.95 }},
	} {
		s := Builtin().CopyOf(mackerel, "Kutum")
		c.change(&s)
		if bad := Builtin().CheckOwn(s); bad.On(c.field) == "" {
			t.Errorf("%s: %v", name, bad)
		}
	}
}
