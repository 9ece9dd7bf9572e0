// Package preparing knows how raw fish is prepared ahead of its service: how long each way keeps, and how much salt,
// marinade or acid it takes. None of them makes raw fish any safer: it stays raw.
//
//	m, ok := preparing.Get("salted")
//	m.Dose(2.4) // 29 g of salt for 2.4 kg
package preparing

import "slices"

// Method is a way to prepare. Times and doses are the house's, after common practice, no source.
type Method struct {
	ID, Name string
	ReadyIn  float64 // h until it has done its work
	Hours    float64 // that it keeps, the cold chain held
	Every    bool    // after them nothing of it is used; else nothing of it is raw
	PerKg    float64 // of what it takes
	Unit     string  // of that: g or ml; "" where there is nothing to measure
	Of       string  // what that is
	Why      string  // what the end of its hours is about
}

// methods are all ways, the most usual first.
var methods = []Method{
	{ID: "salted", Name: "Salted ahead", ReadyIn: 1, Hours: 48, PerKg: 12, Unit: "g", Of: "salt",
		Why: "salt at table strength keeps no germ away"},
	{ID: "marinated", Name: "Marinated", ReadyIn: 0.5, Hours: 16, PerKg: 60, Unit: "ml", Of: "marinade",
		Why: "past a night the flesh turns soft"},
	{ID: "acid_cured", Name: "Acid-cured", ReadyIn: 2, Hours: 4, PerKg: 250, Unit: "ml", Of: "citrus or vinegar",
		Why: "acid makes it look cooked, and after some hours chalky; parasites and germs live on"},
	{ID: "seasoned", Name: "Seasoned and chilled", Hours: 24, Why: "salt and spice draw water"},
	{ID: "wrapped", Name: "Wrapped with a cold pack", Hours: 48, Why: "tight film and a cold pack hold for two days at most"},
	{ID: "assembled", Name: "Assembled: pie, parcel, stuffed, layered", Hours: 24, Every: true,
		Why: "it keeps no longer than the least of what went in; a filling is chilled before raw fish meets it"},
}

// Methods lists them.
func Methods() []Method { return slices.Clone(methods) }

// Get returns the method with an id; false for none.
func Get(id string) (Method, bool) {
	i := slices.IndexFunc(methods, func(m Method) bool { return m.ID == id })
	if i < 0 {
		return Method{}, false
	}
	return methods[i], true
}

// Dose is how much of it a weight takes, in the method's unit; 0 where there is nothing to measure.
func (m Method) Dose(kg float64) float64 { return m.PerKg * kg }

// Allergens are those that a menu names, of what may meet fish [EU1169, annex II].
var Allergens = []string{"fish", "crustaceans", "molluscs", "milk", "eggs", "gluten", "nuts", "peanuts", "sesame", "soy", "celery",
	"mustard", "sulphites", "lupin"}
