// Package form is the kit on which every form of the pages stands: what a page
// draws of a form, what a person sent with it, and the form that comes back with
// what is wrong beside its fields. It knows no page and no rule of the kitchen.
//
// A page draws a field through the partial of views/fields.html:
//
//	{{$f := $v.Form "weigh"}}
//	<form class="card" {{$f.Post "/lots/1/weigh"}}>
//	  {{template "field" ($f.Number "kg" "Weight" "unit" "kg")}}
//	  {{template "said" $f}}<button class="btn">Weigh</button>
//	</form>
//
// and a handler reads what was sent:
//
//	in := form.Reader{Values: posted, Zone: zone}
//	kg := in.Kilograms("kg")
//	if err := in.Err(); err != nil { … } // beside the fields
package form

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"leancatch/internal/core/invalid"
)

// Back is a form that came back to its page: what was typed, and what is wrong with
// it. Views embed it. The zero Back is a page that nobody sent anything to.
type Back struct {
	Came    string // the name of the form that came back, where its page has several
	Values  url.Values
	Errors  invalid.Errors
	Changed []string // what somebody else did meanwhile: nothing was stored
	Again   string   // why the form waits for another press although nothing is wrong with it
	Sent    bool     // by a person: a box that is not in the values is not ticked
	Quiet   bool     // nothing was pressed yet: a field that is still empty is not wrong
}

// Mark adds what is wrong, beside what is known to be.
func (b *Back) Mark(bad invalid.Errors) {
	for _, e := range bad {
		if b.Errors.On(e.Field) == "" && (!b.Quiet || strings.TrimSpace(b.Values.Get(e.Field)) != "") {
			b.Errors = append(b.Errors, e)
		}
	}
}

// Status is the HTTP status of the page on which the form comes back.
func (b Back) Status() int {
	switch {
	case len(b.Changed) > 0:
		return http.StatusConflict
	case len(b.Errors) > 0 && !b.Quiet:
		return http.StatusUnprocessableEntity
	}
	return http.StatusOK
}

// Is reports whether the form of that name came back.
func (b Back) Is(name string) bool { return b.Came == name && b.Values != nil }

// Val is what was typed into a field of the form that came back.
func (b Back) Val(field string) string { return b.Values.Get(field) }

// Form is the form of that name to be drawn: as it came back, or untouched. The
// only form of a page is named "".
func (b Back) Form(name string) *Form {
	f := &Form{Name: name, Values: url.Values{}}
	if b.Came == name {
		if b.Values != nil {
			f.Values = b.Values
		}
		f.Errors, f.Changed, f.Again, f.Quiet, f.sent = b.Errors, b.Changed, b.Again, b.Quiet, b.Sent
	}
	return f
}

// Suggest fills a field that is empty, or that still holds what an earlier choice
// suggested: the form keeps that in a hidden field, see Form.Guesses.
func (b *Back) Suggest(field, value string) {
	if b.Values == nil {
		b.Values = url.Values{}
	}
	if was := b.Values.Get(field); was == "" || was == b.Values.Get(guess+field) {
		b.Values.Set(field, value)
		b.Values.Set(guess+field, value)
	}
}

// The names of the fields that the kit itself keeps in a form.
const (
	guess   = "guess-"
	shown   = "shown"   // the digest of the fields that the preview was made of
	preview = "preview" // set where only a preview is asked for
	twice   = "-twice"  // which of two equal local times is meant
	sure    = "sure-"   // before a field: the unusual value that its person says is so
)

// askSure ends what is said of a value that is unusual and may be right.
const askSure = ". Is it so?"

// Form is a form while its page draws it. It remembers the fields drawn, so that at
// its end it can say what is wrong with no field of the page, and what exactly the
// person sees.
type Form struct {
	Name    string
	Values  url.Values
	Errors  invalid.Errors
	Changed []string
	Again   string
	Quiet   bool
	sent    bool
	drawn   []Field
}

// Val is what stands in a field, Err what is wrong with it.
func (f *Form) Val(field string) string { return f.Values.Get(field) }
func (f *Form) Err(field string) string { return f.Errors.On(field) }

// Has reports whether a value of a field is chosen.
func (f *Form) Has(field, value string) bool { return slices.Contains(f.Values[field], value) }

// ID is the id of a field, "" for the form itself.
func (f *Form) ID(field string) string {
	if field == "" {
		field = "this-form"
	}
	if f.Name == "" {
		return field
	}
	return f.Name + "-" + field
}

// Post are the attributes of a form that is posted.
func (f *Form) Post(action string) template.HTMLAttr {
	return template.HTMLAttr(fmt.Sprintf(`method="post" action="%s" id="%s" data-send`,
		template.HTMLEscapeString(action), template.HTMLEscapeString(f.ID(""))))
}

// Rest are the errors that no field drawn so far shows.
func (f *Form) Rest() []string {
	var list []string
	for _, e := range f.Errors {
		if !slices.ContainsFunc(f.drawn, func(x Field) bool { return x.shows(e.Field) }) && !slices.Contains(list, e.Message) {
			list = append(list, e.Message)
		}
	}
	return list
}

// Guesses are the hidden fields that keep what was suggested.
func (f *Form) Guesses() []Field {
	var list []Field
	for name := range f.Values {
		if strings.HasPrefix(name, guess) {
			list = append(list, Field{Kind: "hidden", Name: name, Value: f.Values.Get(name)})
		}
	}
	slices.SortFunc(list, func(a, b Field) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// Shown is the hidden field by which the form says what its person sees: it stands
// after the fields, beside the preview made of them. See Reader.Seen.
func (f *Form) Shown() Field { return Field{Kind: "hidden", Name: shown, Value: digest(f.Sends())} }

// Sends is what a browser sends of the fields drawn so far, as they stand.
func (f *Form) Sends() url.Values {
	sent := url.Values{}
	for _, x := range f.drawn {
		for _, value := range x.sends() {
			sent.Add(x.Name, value)
		}
	}
	return sent
}

// digest is the same for two forms that say the same, whatever the kit keeps in
// them, in whatever order.
func digest(values url.Values) string {
	var lines []string
	for name, list := range values {
		if name == shown || name == preview || strings.HasPrefix(name, guess) || strings.HasPrefix(name, "ask-") {
			continue
		}
		for _, value := range list {
			if value = clean(value); value != "" {
				lines = append(lines, name+"="+value)
			}
		}
	}
	slices.Sort(lines)
	sum := sha256.Sum256([]byte(strings.Join(lines, "\x00")))
	return hex.EncodeToString(sum[:8])
}

// clean is a value without what a browser changes on the way.
func clean(value string) string { return strings.TrimSpace(strings.ReplaceAll(value, "\r\n", "\n")) }
