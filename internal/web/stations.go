package web

import (
	"strings"

	"leancatch/internal/core/access"
)

// station is one of the six parts of the day's work, in the order in which fish moves.
type station struct {
	ID   string // where its pages begin
	Key  string
	Name string
	Icon string
	Tabs []tab // its pages, each one tap away
}

// tab is a page of a station.
type tab struct {
	Path, Name string
	Right      access.Right // who sees it
}

// stations is the frame of the application.
var stations = []station{
	{"board", "1", "Board", "i-board", nil},
	{"deliveries", "2", "Deliveries", "i-dock", []tab{{"deliveries", "Today", access.Read},
		{"deliveries/orders", "Orders", access.Buy}, {"deliveries/market", "Market", access.Buy}, {"deliveries/deal", "Deal", access.Buy},
		{"deliveries/own-catch", "Own catch", access.Read}}},
	{"cold", "3", "Cold", "i-ice", []tab{{"cold", "Places", access.Read}, {"cold/freezer", "Freezer", access.Read},
		{"cold/thaw", "Thaw", access.Read}, {"cold/ageing", "Ageing", access.Read}}},
	{"bench", "4", "Bench", "i-knife", []tab{{"bench", "Cut", access.Read}, {"bench/yields", "Yields", access.Read},
		{"bench/cards", "Cutting cards", access.Read},
		{"bench/compare", "Whole or fillet", access.Read}}},
	{"service", "5", "Service", "i-plate", []tab{{"service", "Services", access.Read}, {"service/order", "What to order", access.Buy},
		{"service/dishes", "Dishes", access.Read}}},
	{"records", "6", "Records", "i-records", []tab{{"records", "Lots", access.Read}, {"suppliers", "Suppliers", access.Read},
		{"records/inspector", "Inspector", access.Read}, {"records/recall", "Recall", access.Read}, {"records/said", "Guests said", access.Read}, {"records/waste", "Waste", access.Read}, {"declarations", "Declarations", access.Read},
		{"records/species", "Species", access.Read}, {"schemes", "Schemes", access.Read}, {"rules", "Rules", access.Read},
		{"audit", "Audit", access.Audit}}},
}

// Stations are those of the bar.
func (page) Stations() []station { return stations }

// Tabs are the pages of the station of this page that its person may open.
func (p page) Tabs() []tab {
	var list []tab
	for _, s := range stations {
		if s.ID != p.Station {
			continue
		}
		for _, t := range s.Tabs {
			if p.Actor.May(t.Right) {
				list = append(list, t)
			}
		}
	}
	return list
}

// OnTab reports whether this page is that of a tab, or lies below it.
func (p page) OnTab(t tab) bool {
	best := ""
	path := strings.TrimPrefix(strings.TrimPrefix(p.Path, p.Base), "/")
	for _, other := range p.Tabs() {
		if (path == other.Path || strings.HasPrefix(path, other.Path+"/")) && len(other.Path) > len(best) {
			best = other.Path
		}
	}
	return best == t.Path
}

// Writes reports whether the person may write what happens to fish.
func (p page) Writes() bool { return p.May(access.Write) }

// May reports whether the person may do what a part of the page is for.
func (p page) May(right access.Right) bool { return p.Actor.May(right) }
