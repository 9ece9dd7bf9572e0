package demo

import (
	"fmt"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// delivery is a delivery of the scenario. minutesAgo, where given, places it
// before now and not by day and hour.
type delivery struct {
	daysAgo    int
	hour       float64 // of the site's clock
	minutesAgo int
	by         string
	supplier   string
	reference  string
	ordered    []kitchen.OrderLine // the day before; nil for what came unasked
	fish       []fish
}

// fish is a line of it and what becomes of the lot. readDays is the age at
// which its signs are drawn, in fresh days; below 0 it is not inspected.
type fish struct {
	species     string
	form        string
	frozen      bool
	count       int
	kg          float64
	core        float64
	ice         string
	claimedDays float64 // before arrival; 0 for no date on the papers
	theirs      string
	vacuum      bool
	readDays    float64
	scheme      string             // "" for the one offered
	signs       freshness.Signs    // that differ from those of its age
	explained   []string           // what else they mean
	sampled     int                // fish inspected; 0 stands for 1
	checked     *lot.Checked       // cleaning and packing as found
	claim       string             // what is claimed for it; "" for nothing
	decision    freshness.Decision // "" to follow the proposal
	because     string
	place       string
	later       string  // moved there the next day
	spot        float64 // a core reading later on, °C
	held        string
	usedDays    float64 // all of it used that long after it was stored; 0 for still here
	harvest     *harvestRecord
	account     string // the manager's, of what nobody recorded before it came
	cents       int64  // a kilo
}

// harvestRecord is what a boat wrote down of a line.
type harvestRecord struct {
	diedHours   float64 // before it came in
	method      string
	bledMinutes float64 // after death; below 0 for not bled
	gutted      bool    // with the gills, as it was bled
	icedHours   float64 // after death; below 0 for not yet
	area        string
	waterC      float64
	airC        float64
}

// skerries are the grounds of the day boats.
const skerries = "off the Outer Skerries"

const (
	fulmar = "Fulmar Landing"
	dunlin = "Dunlin Fish Merchants"
	skua   = "Skua Day-boat"
)

// harbour is the history of the Harbour kitchen.
var harbour = append(coddeliveries(), []delivery{
	{daysAgo: 20, hour: 6.2, by: "Bertil", supplier: fulmar, reference: "F-2088", fish: []fish{
		{species: "cod", form: "gutted", count: 6, kg: 21.4, core: 0.9, claimedDays: 2, theirs: "88-1", readDays: 2.3,
			place: "Walk-in", usedDays: 3},
		{species: "haddock", form: "gutted", count: 8, kg: 12.2, core: 1.1, claimedDays: 2, theirs: "88-2",
			readDays: 2.8, place: "Walk-in", usedDays: 2.2}}},
	{daysAgo: 18, hour: 6.5, by: "Bertil", supplier: dunlin, reference: "4410", fish: []fish{
		{species: "plaice", count: 12, kg: 6.8, core: 1.4, claimedDays: 2.5, theirs: "4410/3", readDays: 4,
			place: "Fish drawer", usedDays: 2},
		{species: "salmon", form: "gutted", count: 2, kg: 9.6, core: 0.8, claimedDays: 3, theirs: "4410/1",
			readDays: 3.5, place: "Walk-in", usedDays: 4.5}}},
	{daysAgo: 18, hour: 6.9, by: "Bertil", supplier: dunlin, reference: "4438", fish: []fish{
		{species: "salmon", form: "gutted_gills_out", count: 1, kg: 4.7, core: 0.7, claimedDays: 0.8,
			theirs: "4438/2", readDays: 0.3, place: "Fish drawer"}}},
	{daysAgo: 10, hour: 7.1, by: "Bertil", supplier: skua, reference: "d-114", fish: []fish{
		{species: "sea-bream", form: "gutted_gills_out", count: 1, kg: 1.86, core: 0.8, claimedDays: 0.6,
			theirs: "114-s", readDays: 0.3, place: "Fish drawer"}}},
	{daysAgo: 5, hour: 7.3, by: "Bertil", supplier: dunlin, reference: "4494", fish: []fish{
		{species: "salmon", form: "gutted_gills_out", count: 1, kg: 4.46, core: 0.6, claimedDays: 0.9,
			theirs: "4496/s", readDays: 0.3, place: "Fish drawer"}}},
	{daysAgo: 15, hour: 7, by: "Bertil", supplier: skua, reference: "d-115", fish: []fish{
		{species: "mackerel", count: 30, kg: 11.5, core: 1.2, claimedDays: 0.6, theirs: "115", readDays: 0.8,
			place: "Ice tote", usedDays: 1.5,
			harvest: &harvestRecord{diedHours: 13, method: "air", bledMinutes: -1, icedHours: 1.5, area: skerries,
				waterC: 9, airC: 11}},
		{species: "coalfish", form: "gutted", count: 4, kg: 15.1, core: 1.0, claimedDays: 0.6, theirs: "115",
			readDays: 1, place: "Walk-in", usedDays: 4}}},
	{minutesAgo: 19_700, by: "Bertil", supplier: fulmar, reference: "F-2099", fish: []fish{
		{species: "halibut", form: "loin", count: 2, kg: 3.4, core: 0.6, claimedDays: 0.12, theirs: "99-1", readDays: 0.2,
			place: "Fish drawer", cents: 2450}}},
	{daysAgo: 12, hour: 6.3, by: "Bertil", supplier: fulmar, reference: "F-2102", fish: []fish{
		{species: "cod", form: "gutted", count: 5, kg: 18.7, core: 1.3, claimedDays: 3, theirs: "102-1",
			readDays: 3.4, place: "Walk-in", usedDays: 3},
		{species: "ling", form: "gutted", count: 2, kg: 9.9, core: 1.4, claimedDays: 3, theirs: "102-4", readDays: 4,
			place: "Walk-in", usedDays: 3.5}}},
	{daysAgo: 9, hour: 6.7, by: "Bertil", supplier: dunlin, reference: "4473", fish: []fish{
		{species: "redfish", count: 9, kg: 7.4, core: 1.5, claimedDays: 3, theirs: "4473/2", readDays: 3.6,
			place: "Walk-in", usedDays: 3.5}}},
	{daysAgo: 8, hour: 9, by: "Cato", supplier: dunlin, reference: "4481", fish: []fish{
		{species: "yellowfin-tuna", form: "loin", frozen: true, count: 4, kg: 12.8, core: -21, ice: "none",
			claimedDays: 60, theirs: "4481/7", place: "Freezer",
			account: "Dunlin's letter of today: iced on board within two hours, frozen there the same day, logger to our dock"},
		{species: "salmon", form: "fillet_skin_on", frozen: true, count: 10, kg: 13.5, core: -20.5, ice: "none",
			claimedDays: 30, theirs: "4481/9", place: "Freezer"},
		{species: "sprat", frozen: true, count: 400, kg: 6, core: -20.6, ice: "none", claimedDays: 20,
			theirs: "4481/2", signs: freshness.Signs{"frost": 1}, place: "Freezer",
			account: "Dunlin's letter of today: frozen on board within three hours, logger to our dock"}}},
	{daysAgo: 13, hour: 9.5, by: "Cato", supplier: dunlin, reference: "4461", fish: []fish{
		{species: "hake", form: "fillet_skin_on", frozen: true, count: 30, kg: 4.8, core: -22, ice: "none",
			theirs: "4461/5", place: "Freezer", vacuum: true},
		{species: "hake", form: "fillet_skin_on", frozen: true, count: 40, kg: 6.6, core: -21.6, ice: "none",
			theirs: "4461/6", place: "Freezer", vacuum: true}}},
	{daysAgo: 6, hour: 6.4, by: "Bertil", supplier: skua, reference: "d-118", fish: []fish{
		{species: "sea-bream", form: "fillet_skin_on", count: 24, kg: 4.3, core: 0.7, claimedDays: 0.6,
			theirs: "118-b", readDays: 0.5, place: "Fish drawer"},
		{species: "sea-bream", form: "fillet_skin_on", count: 20, kg: 3.6, core: 0.8, claimedDays: 0.6,
			theirs: "118-c", readDays: 0.5, place: "Fish drawer"}}},
	{daysAgo: 4, hour: 6.1, by: "Bertil", supplier: fulmar, reference: "F-2119", fish: []fish{
		{species: "cod", form: "gutted", count: 4, kg: 15.6, core: 0.8, claimedDays: 1.2, theirs: "119-1",
			readDays: 1.2, place: "Fish drawer"},
		{species: "anglerfish", form: "tail", count: 6, kg: 8.2, core: 1.2, claimedDays: 1, theirs: "119-5",
			readDays: 1, signs: freshness.Signs{"flesh": 3}, explained: []string{"spent"}, sampled: 4,
			place: "Walk-in"}}},
	{daysAgo: 1, hour: 6.4, by: "Bertil", supplier: dunlin, reference: "4502", fish: []fish{
		{species: "sea-bream", form: "gutted", count: 14, kg: 7.3, core: 1.1, claimedDays: 0.9, theirs: "4502/1", readDays: 1.4,
			sampled: 5, checked: &lot.Checked{Off: []lot.Trim{"scales", "guts", "gills"}, Left: []lot.Trim{"scales"},
				ReworkMinutes: 18, WageCents: 2600}, place: "Walk-in", cents: 1290},
		{species: "sea-bass", count: 8, kg: 5.4, core: 1.3, claimedDays: 2, theirs: "4502/2", readDays: 6.6,
			decision: freshness.AcceptCook, because: "at a lower price, for tonight's fish stew", place: "Fish drawer", cents: 1150},
		{species: "haddock", form: "fillet_skinless", count: 36, kg: 6.1, core: 1, claimedDays: 1.5, theirs: "4502/8",
			readDays: 1.6, place: "Fish drawer", cents: 1690}}},
	{daysAgo: 1, hour: 5.8, by: "Bertil", supplier: skua, reference: "d-121", fish: []fish{
		{species: "mackerel", count: 26, kg: 9.8, core: 1.8, claimedDays: 0.7, theirs: "121", readDays: 1.1,
			sampled: 7, place: "Ice tote", spot: 1.2, cents: 520,
			harvest: &harvestRecord{diedHours: 16, method: "air", bledMinutes: -1, icedHours: 7.4, area: skerries,
				waterC: 8, airC: 7}},
		{species: "whiting", form: "gutted", count: 18, kg: 6.3, core: 1.4, claimedDays: 0.7, theirs: "121",
			readDays: 1.2, place: "Walk-in", cents: 480},
		{species: "coalfish", form: "gutted", count: 3, kg: 11.2, core: 1.1, claimedDays: 0.7, theirs: "121",
			readDays: 0.9, place: "Walk-in", cents: 420}}},
	{daysAgo: 1, hour: 6.3, by: "Bertil", supplier: fulmar, reference: "F-2126", ordered: []kitchen.OrderLine{
		{SpeciesID: "haddock", Form: "gutted", WeightKg: 12, Price: 690}, {SpeciesID: "hake", Form: "gutted", Count: 4, Price: 980}}, fish: []fish{
		{species: "haddock", form: "gutted", count: 10, kg: 14.8, core: 0.7, claimedDays: 1.8, theirs: "126-1",
			readDays: 2, place: "Walk-in", cents: 690},
		{species: "hake", form: "gutted", count: 3, kg: 8.9, core: 1.2, claimedDays: 1.8, theirs: "126-2",
			readDays: 2.4, place: "Walk-in", cents: 980},
		{species: "cod", form: "gutted", count: 4, kg: 13.6, core: 1.1, claimedDays: 2, theirs: "126-4", readDays: 6, sampled: 4,
			place: "Walk-in", held: "its fish read six days, its papers say two: waiting for Fulmar", cents: 740},
		{species: "herring-winter", count: 60, kg: 9.5, core: 1.6, claimedDays: 1, theirs: "126-6", readDays: 1.2,
			sampled: 9, place: "Ice tote", cents: 240,
			harvest: &harvestRecord{diedHours: 23, method: "air", bledMinutes: -1, icedHours: 2, area: skerries,
				waterC: 9, airC: 8}},
		{species: "redfish", count: 12, kg: 9.9, core: 4.1, claimedDays: 4, theirs: "126-7", readDays: 8,
			claim: "credit", cents: 610}}},
	{daysAgo: 1, hour: 7.4, by: "Ansa", supplier: dunlin, reference: "4517", fish: []fish{
		{species: "snapper", count: 4, kg: 6.6, core: 1.1, claimedDays: 5, theirs: "4517/3", readDays: 5.4,
			place: "Walk-in", held: "which reef? waiting for the supplier's paper", cents: 1480},
		{species: "salmon", form: "gutted", count: 3, kg: 14.1, core: 0.5, claimedDays: 4.5, theirs: "4517/1",
			readDays: 5, place: "Walk-in", cents: 1090}}},
	{minutesAgo: 150, by: "Bertil", supplier: skua, reference: "d-122", fish: []fish{
		{species: "cod", form: "gutted", count: 6, kg: 21.3, core: 0.6, claimedDays: 0.5, theirs: "122",
			readDays: 0.4, sampled: 3, place: "Ice tote", cents: 780,
			harvest: &harvestRecord{diedHours: 11, method: "stun", bledMinutes: 6, gutted: true, icedHours: 0.8,
				area: skerries, waterC: 10, airC: 11}},
		{species: "plaice", count: 16, kg: 8.7, core: 0.9, claimedDays: 0.5, theirs: "122", readDays: 0.6,
			place: "Fish drawer", cents: 640}}},
	{minutesAgo: 95, by: "Bertil", supplier: dunlin, reference: "4521", fish: []fish{
		{species: "sea-bass", form: "fillet_skin_on", count: 12, kg: 1.6, core: 0.7, claimedDays: 0.9, theirs: "4521/1", readDays: 0.8,
			sampled: 5, place: "Fish drawer", cents: 2890},
		{species: "sea-bream", form: "gutted", count: 4, kg: 2.1, core: 0.8, claimedDays: 0.9, theirs: "4521/2", readDays: 1, sampled: 3,
			place: "Fish drawer", cents: 1310},
		{species: "turbot", form: "gutted", count: 2, kg: 5.3, core: 0.6, claimedDays: 1.2, theirs: "4521/3", readDays: 1, sampled: 2,
			place: "Fish drawer", cents: 2240},
		{species: "salmon", form: "gutted", count: 2, kg: 9.8, core: 0.4, claimedDays: 1.1, theirs: "4521/5", readDays: 1, sampled: 2,
			place: "Ice tote", cents: 1340}}},
	{minutesAgo: 22, by: "Bertil", supplier: fulmar, reference: "F-2131", fish: []fish{
		{species: "cod", form: "whole", count: 3, kg: 10.4, core: 0.8, claimedDays: 2, theirs: "131-1", readDays: -1,
			place: "Fish drawer", cents: 720},
		{species: "anglerfish", form: "tail", count: 5, kg: 7.1, core: 1.1, claimedDays: 2, theirs: "131-2", readDays: -1,
			place: "Fish drawer", cents: 1590},
		{species: "haddock", form: "gutted", count: 9, kg: 13.3, core: 0.9, claimedDays: 1.5, theirs: "131-3", readDays: -1,
			place: "Fish drawer", cents: 680}}},
}...)

// caught is the day's catch of the kitchen's own skiff.
var caught = []catch{
	{minutesAgo: 265, species: "pollack", count: 5, kg: 11.8, waterC: 10, airC: 11,
		harvest: harvestRecord{method: "air", bledMinutes: 12, gutted: true, icedHours: 0.9}, iceKg: 8},
	{minutesAgo: 130, species: "mackerel", count: 38, kg: 14.4, waterC: 11, airC: 17,
		harvest: harvestRecord{method: "air", bledMinutes: 9, icedHours: 0.4}, iceKg: 9},
}

// catch is fish that came on our own deck; its harvest's hours count from there.
type catch struct {
	minutesAgo   int
	species      string
	count        int
	kg           float64
	waterC, airC float64
	harvest      harvestRecord
	iceKg        float64 // put into the box with it
}

// mill is the history of the Mill kitchen.
var mill = []delivery{
	{daysAgo: 4, hour: 6.8, by: "Gudmund", supplier: dunlin, reference: "4496", fish: []fish{
		{species: "salmon", form: "gutted", count: 2, kg: 9.1, core: 0.7, claimedDays: 2, theirs: "4496/2",
			readDays: 2.2, place: "Walk-in"},
		{species: "trout", count: 20, kg: 6.4, core: 1.2, claimedDays: 1.5, theirs: "4496/5", readDays: 1.8,
			place: "Fish drawer"}}},
	{daysAgo: 1, hour: 7.2, by: "Gudmund", supplier: fulmar, reference: "F-2127", fish: []fish{
		{species: "cod", form: "gutted", count: 3, kg: 11.3, core: 0.8, claimedDays: 1.5, theirs: "127-1",
			readDays: 1.6, place: "Walk-in", cents: 770},
		{species: "lemon-sole", count: 10, kg: 4.4, core: 1.0, claimedDays: 1.5, theirs: "127-3", readDays: 2,
			place: "Fish drawer", cents: 990}}},
	{minutesAgo: 110, by: "Gudmund", supplier: dunlin, reference: "4522", fish: []fish{
		{species: "trout", form: "gutted", count: 2, kg: 3.1, core: 0.5, claimedDays: 0.9, theirs: "4522/1", readDays: 0.8,
			sampled: 2, place: "Ice tote", cents: 1180}}},
}

// coddeliveries are Fulmar's cod of the three weeks, which read a day or two
// older than their papers: enough lots to see it.
func coddeliveries() []delivery {
	var list []delivery
	for i, older := range []float64{1.4, 0.6, 2.2, 1.1, 1.9, 0.8, 1.6, 2.4, 1.2} {
		claimed := 1.5 + 0.25*float64(i%4) // days; on the way each counts as 1.44 in ice, at 2 °C
		list = append(list, delivery{daysAgo: 19 - 2*i + i/5, hour: 6.1, by: "Bertil", supplier: fulmar,
			reference: fmt.Sprintf("F-%d", 2090+3*i), fish: []fish{
				{species: "cod", form: "gutted", count: 4 + i%3, kg: 14.2 + 1.3*float64(i%3),
					core: 0.7 + 0.1*float64(i%5), claimedDays: claimed, theirs: fmt.Sprintf("%d-1", 90+3*i),
					readDays: 1.44*claimed + older, sampled: 3, place: "Walk-in", usedDays: 1.6}}})
	}
	return list
}
