package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
	"leancatch/internal/wording"
)

// correctView is the page on which an entry of a lot is corrected.
type correctView struct {
	kitchen.Card
	form.Back
	Entry  kitchen.Entry
	N      int // of the entry, from 1
	Sheet  *form.Form
	Fields []form.Field
}

// fieldSpec is how a field of a payload is labelled, and what may be chosen. A field that
// has none is computed, or names something outside the lot: it stays as it is.
type fieldSpec struct {
	label   string
	unit    string // "temp" and "mass" are those of the person, "%" of a share, "species" a name
	options func(correctView) []form.Option
	long    bool
	none    bool // an empty field of a number is 0
}

// optionsOf makes options of a list of texts, or of things with an ID and a Name; name, where
// given, says them in words.
func optionsOf[T any](list []T, name func(T) string) func(correctView) []form.Option {
	return func(correctView) []form.Option {
		out := make([]form.Option, len(list))
		for i, x := range list {
			v := reflect.ValueOf(x)
			if v.Kind() == reflect.Struct {
				out[i] = form.Option{ID: v.FieldByName("ID").String(), Name: v.FieldByName("Name").String()}
			} else {
				out[i] = form.Option{ID: v.String(), Name: v.String()}
			}
			if name != nil {
				out[i].Name = name(x)
			}
		}
		return out
	}
}

func placeOptions(v correctView) []form.Option {
	var out []form.Option
	for id, p := range v.Places {
		out = append(out, form.Option{ID: strconv.FormatInt(id, 10), Name: p.Name})
	}
	slices.SortFunc(out, func(a, b form.Option) int { return strings.Compare(a.Name, b.Name) })
	return out
}

var trimOptions = optionsOf(lot.TrimParts, lot.Trim.Name)

// fieldSpecs are the fields that can be corrected, by their names in the API; where a name
// means something else in one kind, by kind/name.
var fieldSpecs = map[string]fieldSpec{
	"species":      {label: "Species", unit: "species"},
	"form":         {label: "Form", options: optionsOf(lot.Forms, lot.FormName)},
	"frozen":       {label: "Came frozen"},
	"count":        {label: "Count"},
	"weight_kg":    {label: "Weight", unit: "mass"},
	"core_celsius": {label: "Core temperature", unit: "temp"},
	"celsius":      {label: "Core temperature", unit: "temp"},
	"ice":          {label: "Ice", options: optionsOf(lot.IceStates, lot.IceName)},
	"claim.at":     {label: "Date on the label"},
	"claim.means":  {label: "The date is", options: optionsOf(freshness.DateMeanings, freshness.DateMeaning.Name)},
	"supplier_lot": {label: "Their lot"},
	"use_by":       {label: "Use by, not of fish"},
	"tag":          {label: "Harvester's tag"},
	"size_grade":   {label: "Size grade"},
	"length_mm":    {label: "Length of one", unit: "mm"},
	// amounts of money
	"price_cents_per_kg": {label: "Price a kilo", unit: "money"},
	"fee_cents":          {label: "Cleaning fee, for all of it", unit: "money"},
	"unit_price_cents":   {label: "Price a piece or a box", unit: "money"},
	"price_for":          {label: "That price is for", options: optionsOf(lot.PricesFor, lot.PriceFor.Name)},
	"boxes":              {label: "Boxes", none: true},
	"freight_cents":      {label: "Freight, of all of it", unit: "money"},
	"place_id":           {label: "Place", options: placeOptions},
	"left_at":            {label: "Left where it lay"},
	"packing.pack":       {label: "Packed", options: optionsOf(lot.Packs, lot.Pack.Name)},
	"pack":               {label: "Packed", options: optionsOf(lot.Packs, lot.Pack.Name)},
	"film_otr":           {label: "Oxygen transmission of the film", unit: "cm³/(m²·24 h)"},
	"tight":              {label: "Wrapped again, or stacked tight"},
	"indicator":          {label: "Time-temperature indicators, not run out"},
	"decision":           {label: "Decision", options: optionsOf(freshness.Decisions, freshness.Decision.Name)},
	"from":               {label: "From"},
	"to":                 {label: "To"},
	"reason":             {label: "Reason", long: true},
	"note":               {label: "Note", long: true},
	"caption":            {label: "What it shows"},
	"origin":             {label: "Caught or farmed", options: optionsOf([]lot.FishOrigin{lot.Wild, lot.Farmed}, nil)},
	"reef_origin":        {label: "Waters"},
	"dispatched_at":      {label: "Sent off"},
	"off":                {label: "Was to come off", options: trimOptions},
	"left":               {label: "Is still on", options: trimOptions},
	"missing":            {label: "Is missing", options: trimOptions},
	"rework_minutes":     {label: "Rework", unit: "min"},
	"packing_faults":     {label: "Packing", options: optionsOf(lot.PackingFaults, nil)},
	"packing_celsius":    {label: "In the ice or the box", unit: "temp"},
	"asks":               {label: "You ask for", options: optionsOf(lot.Remedies, nil)},
	"reasons":            {label: "Reasons, one a line", long: true},
	"area":               {label: "Place or area"},
	"gear":               {label: "Gear", options: optionsOf(lot.Gears, nil)},
	"gear_set_at":        {label: "Gear set"},
	"vessel":             {label: "Vessel or farm"},
	"water_celsius":      {label: "Water", unit: "temp"},
	"air_celsius":        {label: "Air", unit: "temp"},
	"killed/method":      {label: "How it was killed", options: optionsOf(lot.KillMethods, nil)},
	"calm":               {label: "It died fast and calm"},
	"how":                {label: "Where it was cut", options: optionsOf(lot.BleedCuts, nil)},
	"medium":             {label: "Bled in", options: optionsOf(lot.BleedMedia, nil)},
	"bled/school":        {label: "Method", options: optionsOf(lot.BleedMethods, nil)},
	"until":              {label: "Until"},
	"gilled":             {label: "The gills too"},
	"with":               {label: "Washed in", options: optionsOf(lot.Washes, nil)},
	"iced/way":           {label: "Method of icing", options: optionsOf(icing.Methods, nil)},
	"ice_kg":             {label: "Ice put in", unit: "mass"},
	"results":            {label: "Results, mg/kg", long: true},
	"lab":                {label: "Laboratory and report"},
	"account":            {label: "What happened, and how it is known", long: true},
	"warm_hours":         {label: "Of it warm", unit: "h"},
	"warmest_celsius":    {label: "Warmest in them", unit: "temp"},
	"froze/way":          {label: "The freezer cools by", options: optionsOf(freezing.Methods, nil)},
	"wrapping":           {label: "Around the fish", options: optionsOf(freezing.Wrappings, nil)},
	"froze/preps":        {label: "Done before", options: optionsOf(freezing.Preps, nil)},
	"shape":              {label: "Shape", options: optionsOf(heat.Shapes, bodyName)},
	"thickness_mm":       {label: "Thickness", unit: "mm"},
	"one_face":           {label: "It lies on a tray that gives no cold"},
	"start_celsius":      {label: "At the start", unit: "temp"},
	"pulled/method":      {label: "Thaws by", options: optionsOf(thawing.Methods(), nil)},
	"end_use":            {label: "To be", options: optionsOf([]thawing.EndUse{thawing.Cook, thawing.Raw}, wording.ThawedFor)},
	"used/end_use":       {label: "What it was used for", options: optionsOf(lot.EndUses, lot.EndUse.Name)},
	"taken/end_use":      {label: "What it was used for", options: optionsOf(lot.EndUses, lot.EndUse.Name)},
	"taken/reason":       {label: "Why it was thrown away", options: optionsOf(lot.WasteReasons, lot.WasteReason.Name)},
	"all":                {label: "All that was left"},
	"prepared/method":    {label: "How", options: optionsOf(preparing.Methods(), nil)},
	"prepared/with":      {label: "What went in"},
	"stocked/with":       {label: "What went in"},
	"allergens":          {label: "Allergens of that", options: optionsOf(preparing.Allergens, nil)},
	"cut/missing":        {label: "More is gone than drip explains, and it is so"},
	"rinsed":             {label: "Parts were rinsed"},
	"in_rigor":           {label: "It was stiff, and cut all the same"},
	"whiteness":          {label: "Flesh at the first cut", options: optionsOf(lot.Whitenesses, nil)},
	"frame_check":        {label: "Frame against the light", options: optionsOf(lot.FrameChecks, nil)},
	"minutes":            {label: "Minutes", unit: "min"},
	"boneless":           {label: "bones felt for"},
	"opened":             {label: "Its pack was opened"},
	"hung/opened":        {label: "Why a manager allowed it", long: true},
	"medium_celsius":     {label: "Air or water around it", unit: "temp"},
	"drip_kg":            {label: "Drip", unit: "mass"},
	"glaze_kg":           {label: "Glaze", unit: "mass"},
	"hook":               {label: "Hook"},
	"kg":                 {label: "Weight", unit: "mass"},
	"hung/school":        {label: "Policy", options: optionsOf(ageing.Policies(), nil)},
	"target":             {label: "Target loss", unit: "%"},
	"hanging":            {label: "Hangs", options: optionsOf(ageing.HangingStyles(), nil)},
	"hung/preps":         {label: "Prepared", options: optionsOf(ageing.Preps(), nil)},
	"raw":                {label: "To be served raw"},
	"because":            {label: "What was odd about it"},
	"aside":              {label: "Set aside: it counts for nothing"},
	"stops":              {label: "Stop signs", options: optionsOf(ageing.Signs(), nil)},
	"crust_kg":           {label: "Crust", unit: "mass"},
	"usable_kg":          {label: "Usable", unit: "mass"},
	"why":                {label: "Why", long: true},
}

// specOf is the spec of a field of a kind; false for one that stays as it is.
func specOf(kind lot.Kind, name string) (fieldSpec, bool) {
	if spec, ok := fieldSpecs[string(kind)+"/"+name]; ok {
		return spec, true
	}
	if spec, ok := fieldSpecs[name]; ok {
		return spec, true
	}
	spec, ok := fieldSpecs[name[strings.LastIndex(name, ".")+1:]]
	return spec, ok
}

// keptFields are those that a correction leaves as they are, by kind and name in the code; of the parts of a cut all but
// cutPartFields.
var (
	keptFields    = []string{"cut/Count"}
	cutPartFields = []string{"Count", "WeightKg", "Boneless"}
)

// partName is a part of a fish in words.
func partName(form string) string {
	part, _ := cutting.GetPart(form)
	return part.Name
}

// eachField visits the fields of a payload that can be corrected, with their names in the API.
func eachField(kind lot.Kind, v reflect.Value, prefix string, visit func(name string, spec fieldSpec, v reflect.Value)) {
	t := v.Type()
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		field := v.Field(i)
		switch {
		case f.Anonymous && name == "":
			eachField(kind, field, prefix, visit)
		case f.Type == reflect.TypeFor[lot.LabelDate]():
			eachField(kind, field, prefix+name+".", visit)
		case f.Type == reflect.TypeFor[[]lot.CutPart]():
			for n, part := range field.Interface().([]lot.CutPart) {
				eachField(kind, field.Index(n), fmt.Sprintf("%s%s[%d].", prefix, name, n), func(name string, spec fieldSpec, v reflect.Value) {
					if !strings.HasSuffix(name, ".boneless") || boneable(part.Form) {
						spec.label = partName(part.Form) + ": " + strings.ToLower(spec.label)
						visit(name, spec, v)
					}
				})
			}
		case slices.Contains(keptFields, string(kind)+"/"+f.Name),
			t == reflect.TypeFor[lot.CutPart]() && !slices.Contains(cutPartFields, f.Name):
		case f.Type == reflect.TypeFor[*lot.Packing]():
			if !field.IsNil() {
				eachField(kind, field.Elem(), prefix+name+".", visit)
			}
		default:
			if spec, ok := specOf(kind, prefix+name); ok {
				visit(prefix+name, spec, field)
			}
		}
	}
}

// show makes the fields of the entry, with what it says or what was typed over that.
func (v *correctView) show(p page) error {
	var errs []error
	if !v.Sent {
		v.Values = url.Values{}
		eachField(v.Entry.Kind, reflect.ValueOf(v.Entry.Payload), "", func(name string, spec fieldSpec, x reflect.Value) {
			said := p.typed(spec, x)
			switch {
			case x.Kind() == reflect.Bool && !x.Bool():
				said = nil
			case spec.long:
				said = []string{strings.Join(said, "\n")}
			}
			v.Values["data."+name] = said
		})
	}
	v.Sheet = v.Form("")
	eachField(v.Entry.Kind, reflect.ValueOf(v.Entry.Payload), "", func(name string, spec fieldSpec, x reflect.Value) {
		f, err := v.field(p, "data."+name, spec, x.Type())
		v.Fields, errs = append(v.Fields, f), append(errs, err)
	})
	return errors.Join(errs...)
}

// field is the control of a field of the entry.
func (v *correctView) field(p page, name string, spec fieldSpec, t reflect.Type) (form.Field, error) {
	var options []form.Option
	if spec.options != nil {
		options = spec.options(*v)
	}
	switch {
	case t.Kind() == reflect.Bool:
		return v.Sheet.Tick(name, spec.label)
	case t.Kind() == reflect.Slice && spec.options != nil:
		return v.Sheet.Ticks(name, spec.label, options, "class", "w2")
	case t == reflect.TypeFor[*bool]():
		return v.Sheet.Select(name, spec.label, []form.Option{{ID: "yes", Name: "yes"}, {ID: "no", Name: "no"}}, "blank", "not known")
	case spec.options != nil:
		return v.Sheet.Select(name, spec.label, options, "blank", "not known", "class", "w2")
	case t == reflect.TypeFor[time.Time]() || t == reflect.TypeFor[*time.Time]():
		return v.Sheet.When(name, spec.label)
	case spec.long:
		return v.Sheet.Area(name, spec.label, "class", "w2")
	case spec.unit == "species":
		return v.Sheet.Species(name, spec.label, p.Base+"/species")
	case t.Kind() == reflect.String:
		return v.Sheet.Text(name, spec.label)
	}
	return v.Sheet.Number(name, spec.label, "unit", p.unitOf(spec))
}

func (p page) unitOf(spec fieldSpec) string {
	switch spec.unit {
	case "temp":
		return p.TempUnit()
	case "mass":
		return p.MassUnit()
	case "money":
		return p.Actor.Site.Currency
	}
	if spec.unit == "species" {
		return ""
	}
	return spec.unit
}

// typed is what a value looks like in the form: a text, or several for what may be chosen
// together; none for what is not known.
func (p page) typed(spec fieldSpec, x reflect.Value) []string {
	if x.Kind() == reflect.Pointer {
		if x.IsNil() {
			return nil
		}
		x = x.Elem()
	}
	switch v := x.Interface().(type) {
	case time.Time:
		if v.IsZero() {
			return nil
		}
		return []string{p.Local(v)}
	case bool:
		return []string{map[bool]string{true: "yes", false: "no"}[v]}
	case int64:
		if spec.unit == "money" {
			return amount(v)
		}
	case float64:
		switch spec.unit {
		case "temp":
			return []string{p.TempField(v)}
		case "mass":
			return []string{p.MassField(v)}
		case "%":
			v *= 100
		}
		return []string{strconv.FormatFloat(v, 'f', -1, 64)}
	}
	if spec.unit == "species" {
		return []string{p.SpeciesOf(x.String()).Name}
	}
	if spec.none && x.IsZero() {
		return nil
	}
	if x.Kind() != reflect.Slice {
		return []string{fmt.Sprint(x.Interface())}
	}
	var list []string
	for i := range x.Len() {
		list = append(list, fmt.Sprint(x.Index(i).Interface()))
	}
	return list
}

// amount is an amount of money for a field; none for nothing.
func amount(cents int64) []string {
	if cents == 0 {
		return nil
	}
	return []string{fmt.Sprintf("%.2f", float64(cents)/100)}
}

// corrected reads the form over a payload. What was not changed stays exactly as it is,
// however roughly the form showed it.
func (f *input) corrected(p page, kind lot.Kind, old lot.Payload) lot.Payload {
	v := reflect.New(reflect.TypeOf(old)).Elem()
	if cut, ok := old.(lot.Cut); ok { // what it was stays as it was
		cut.Parts = slices.Clone(cut.Parts)
		old = cut
	}
	v.Set(reflect.ValueOf(old))
	eachField(kind, v, "", func(name string, spec fieldSpec, x reflect.Value) {
		field := "data." + name
		said, typed := p.typed(spec, x), f.All(field)
		if spec.long && x.Kind() == reflect.Slice {
			typed = f.Lines(field)
		}
		if x.Kind() == reflect.Bool {
			typed = []string{map[bool]string{true: "yes", false: "no"}[f.Has(field)]}
		}
		typed = slices.DeleteFunc(slices.Clone(typed), func(s string) bool { return strings.TrimSpace(s) == "" })
		if !slices.Equal(said, typed) {
			f.set(field, spec, x, typed)
		}
	})
	return v.Interface().(lot.Payload)
}

// set reads a field of the form into a value.
func (f *input) set(field string, spec fieldSpec, x reflect.Value, typed []string) {
	if x.Kind() == reflect.Pointer {
		if len(typed) == 0 {
			x.SetZero()
			return
		}
		value := reflect.New(x.Type().Elem())
		f.set(field, spec, value.Elem(), typed)
		x.Set(value)
		return
	}
	switch x.Interface().(type) {
	case time.Time:
		if at := f.At(field); at != nil {
			x.Set(reflect.ValueOf(*at))
		} else if f.Bad.On(field) == "" {
			f.Bad.Add(field, "give the day and the hour")
		}
		return
	case []float64:
		var list []float64
		for _, text := range typed {
			number, err := unit.ParseNumber(text)
			if err != nil {
				f.Bad.Add(field, "%q is not a number", text)
				return
			}
			list = append(list, number)
		}
		x.Set(reflect.ValueOf(list))
		return
	}
	switch x.Kind() {
	case reflect.Bool:
		x.SetBool(slices.Equal(typed, []string{"yes"}))
	case reflect.Float64:
		switch {
		case len(typed) == 0:
			f.Bad.Add(field, "give a number")
		case spec.unit == "temp":
			x.SetFloat(f.MustCooked(field)) // the lot says whether it may be so warm
		case spec.unit == "mass":
			x.SetFloat(f.MassOrNone(field)) // which may be 0; the entry says whether it may
		case spec.unit == "%":
			x.SetFloat(f.MustNumber(field, "%") / 100)
		default:
			x.SetFloat(f.MustNumber(field, spec.unit))
		}
	case reflect.Int, reflect.Int64:
		switch {
		case spec.options != nil:
			x.SetInt(f.ID(field))
		case spec.unit == "money":
			x.SetInt(f.Cents(field))
		case spec.none && len(typed) == 0:
			x.SetInt(0)
		default:
			x.SetInt(int64(f.MustWhole(field)))
		}
	case reflect.Slice:
		list := reflect.MakeSlice(x.Type(), len(typed), len(typed))
		for i, text := range typed {
			list.Index(i).SetString(text)
		}
		x.Set(list)
	case reflect.String:
		text := strings.Join(typed, "\n")
		if spec.unit == "species" {
			if text = f.species(field).ID; text == "" && f.Bad.On(field) == "" {
				f.Bad.Add(field, "is not in the catalogue")
			}
		}
		x.SetString(text)
	}
}

func (s *Server) correctForm(c *gin.Context) { s.showCorrect(c, form.Back{}) }

// entryOf is the entry of the address, as the lot's card has it.
func (s *Server) entryOf(c *gin.Context) (correctView, bool) {
	id, ok := s.pathID(c)
	if !ok {
		return correctView{}, false
	}
	card, err := s.kitchen.Card(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return correctView{}, false
	}
	event, _ := uuid.Parse(c.Param("event"))
	i := slices.IndexFunc(card.Entries, func(e kitchen.Entry) bool {
		return e.ID == event || c.Param("event") == "received" && e.Kind == lot.KindFor[lot.Received]()
	})
	v := correctView{Card: card}
	if i < 0 || !canCorrect(card.State, card.Entries[i]) {
		s.fail(c, kitchen.ErrNotFound)
		return v, false
	}
	v.Entry, v.N = card.Entries[i], i+1
	return v, true
}

// canCorrect reports whether an entry stands and may be corrected.
func canCorrect(s *lot.State, e kitchen.Entry) bool {
	return e.Kind.Correctable() && s.Voids[e.ID] == nil && s.Status != lot.WasSplit
}

func (s *Server) showCorrect(c *gin.Context, back form.Back) {
	v, ok := s.entryOf(c)
	if !ok {
		return
	}
	p := s.page(c, "Correct an entry", "board", nil)
	p.InForm = true
	v.Back = back
	if err := v.show(p); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "correct", p)
}

// correct takes in what an entry should have said, and why.
func (s *Server) correct(c *gin.Context) {
	v, ok := s.entryOf(c)
	if !ok {
		return
	}
	f := posted(c)
	p := s.page(c, "Correct an entry", "board", nil)
	p.InForm = true
	payload := f.corrected(p, v.Entry.Kind, v.Entry.Payload)
	w := kitchen.Write{EventID: f.UUID("event_id_new"), LotID: v.State.ID, Seen: f.MustWhole("seen"), HappenedAt: s.kitchen.Now()}
	s.post(c, f, func(ctx context.Context) (string, error) {
		data, err := json.Marshal(payload)
		if err != nil {
			return "", err
		}
		w.Payload = lot.Corrected{EventID: v.Entry.ID, Data: data, Reason: f.Text("reason")}
		return fmt.Sprintf("/lots/%s#event-%d", v.State.ID, v.N), s.kitchen.Append(ctx, w)
	}, func(back form.Back) { s.showCorrect(c, back) })
}
