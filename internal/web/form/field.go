package form

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/google/uuid"
)

// Field is one field as views/fields.html draws it.
type Field struct {
	Kind    string // hidden, text, number, when, day, hour, area, password, file, select, choose, ticks, tick, species
	Name    string
	ID      string
	Label   string
	Value   string
	Error   string
	Unit    string // after the label
	Hint    string // in the label, quieter
	Help    string // under the control
	Blank   string // of a select: what stands for nothing chosen
	Holder  string // what stands in the empty control
	Mode    string // the keys that a phone shows
	Auto    string // what the browser may fill in; "off" where nothing is said
	Source  string // the device that may fill it: "scale" or "thermometer"
	Accept  string // of a file
	Class   string // of the field
	Max     int    // characters
	Rows    int    // of a text area
	Options []Option
	List    []string // suggestions while typing
	Quiet   bool     // its label is only for those who hear the page
	Focus   bool     // it has the focus when the page opens
	Search  string   // of a species: the address that finds one
	Sure    bool     // its value is unusual: the person may say that it is so
	Twice   string   // of a time that comes twice in one night: which is meant; "?" for not said
	also    []string // other names of the field in errors
}

// Option is one of the things to choose from.
type Option struct {
	ID, Name, Note string
	Chosen         bool
}

// shows reports whether an error of that name stands beside the field.
func (x Field) shows(name string) bool {
	return name == x.Name && x.Kind != "hidden" || slices.Contains(x.also, name)
}

// sends is what a browser sends of the field, as it is drawn.
func (x Field) sends() []string {
	switch x.Kind {
	case "password", "file":
		return nil
	case "tick":
		if !x.Options[0].Chosen {
			return nil
		}
		return []string{x.Options[0].ID}
	case "select", "choose", "ticks":
		var list []string
		for _, o := range x.Options {
			if o.Chosen {
				list = append(list, o.ID)
			}
		}
		if list == nil && x.Kind == "select" && x.Blank == "" && len(x.Options) > 0 {
			list = []string{x.Options[0].ID} // which a browser takes by itself
		}
		return list
	}
	return []string{x.Value}
}

// DescribedBy are the ids of what explains the field, "" for none.
func (x Field) DescribedBy() string {
	var ids []string
	if x.Help != "" {
		ids = append(ids, x.ID+"-help")
	}
	if x.Error != "" {
		ids = append(ids, x.ID+"-error")
	}
	return strings.Join(ids, " ")
}

// Width are the classes of the field.
func (x Field) Width() string { return strings.TrimSpace("field " + x.Class) }

// The controls. Each takes the field's name, its label, and pairs of an option and
// its value:
//
//	unit, hint, help, blank, placeholder, mode, autocomplete, accept, class: text
//	max, rows: a number     sr, focus: true or false     from: "scale" or "thermometer"
//	value: what stands in it untouched     options: what there is to choose from
//	list: what may be typed     also: another name of the field in errors     find: an address

// Text is a line of text.
func (f *Form) Text(name, label string, more ...any) (Field, error) {
	return f.field("text", name, label, more)
}

// Number is a number, a temperature, a weight: with the number pad.
func (f *Form) Number(name, label string, more ...any) (Field, error) {
	return f.field("number", name, label, more)
}

// When is a day with its hour.
func (f *Form) When(name, label string, more ...any) (Field, error) {
	return f.field("when", name, label, more)
}

// Day is a day.
func (f *Form) Day(name, label string, more ...any) (Field, error) {
	return f.field("day", name, label, more)
}

// Hour is a time of the day.
func (f *Form) Hour(name, label string, more ...any) (Field, error) {
	return f.field("hour", name, label, more)
}

// Area is text of several lines.
func (f *Form) Area(name, label string, more ...any) (Field, error) {
	return f.field("area", name, label, more)
}

// Password is a secret: it never comes back.
func (f *Form) Password(name, label string, more ...any) (Field, error) {
	return f.field("password", name, label, more)
}

// PIN is a secret of digits.
func (f *Form) PIN(name, label string, more ...any) (Field, error) {
	x, err := f.field("password", name, label, more)
	x.Mode = "numeric"
	return x, err
}

// File is a file.
func (f *Form) File(name, label string, more ...any) (Field, error) {
	return f.field("file", name, label, more)
}

// Species is a species, found while typing.
func (f *Form) Species(name, label, search string, more ...any) (Field, error) {
	return f.field("species", name, label, append(more, "find", search))
}

// Select is one of a list, folded.
func (f *Form) Select(name, label string, options any, more ...any) (Field, error) {
	return f.field("select", name, label, append(more, "options", options))
}

// Choose is one of a list, all in sight.
func (f *Form) Choose(name, label string, options any, more ...any) (Field, error) {
	return f.field("choose", name, label, append(more, "options", options))
}

// Ticks are any of a list, all in sight.
func (f *Form) Ticks(name, label string, options any, more ...any) (Field, error) {
	return f.field("ticks", name, label, append(more, "options", options))
}

// Tick is yes or nothing. The value that stands for yes is "1".
func (f *Form) Tick(name, label string, more ...any) (Field, error) {
	return f.field("tick", name, label, more)
}

// Hidden keeps a value of the page in the form, whatever came back.
func (f *Form) Hidden(name string, value any) Field {
	return f.draw(Field{Kind: "hidden", Name: name, Value: fmt.Sprint(value)})
}

// Kept keeps a value that came with the form, "" for none.
func (f *Form) Kept(name string) Field {
	return f.draw(Field{Kind: "hidden", Name: name, Value: f.Val(name)})
}

// NewID is the id of what the form makes: the same as often as it is sent, so that
// it counts once.
func (f *Form) NewID(name string) (Field, error) {
	value := f.Val(name)
	if _, err := uuid.Parse(value); err != nil {
		id, err := uuid.NewV7()
		if err != nil {
			return Field{}, err
		}
		value = id.String()
	}
	return f.draw(Field{Kind: "hidden", Name: name, Value: value}), nil
}

func (f *Form) draw(x Field) Field {
	f.drawn = append(f.drawn, x)
	return x
}

// field makes a field with what stands in it. An option that there is not is an
// error: a page with one is not drawn.
func (f *Form) field(kind, name, label string, more []any) (Field, error) {
	x := Field{Kind: kind, Name: name, ID: f.ID(name), Label: label, Auto: "off", Mode: "decimal"}
	var untouched string
	var options any
	for i := 0; i+1 < len(more); i += 2 {
		option, text := fmt.Sprint(more[i]), fmt.Sprint(more[i+1])
		switch option {
		case "unit":
			x.Unit = text
		case "hint":
			x.Hint = text
		case "help":
			x.Help = text
		case "blank":
			x.Blank = text
		case "placeholder":
			x.Holder = text
		case "mode":
			x.Mode = text
		case "autocomplete":
			x.Auto = text
		case "accept":
			x.Accept = text
		case "class":
			x.Class = text
		case "from":
			x.Source = text
		case "find":
			x.Search = text
		case "also":
			x.also = append(x.also, text)
		case "value":
			untouched = text
		case "max":
			x.Max, _ = more[i+1].(int)
		case "rows":
			x.Rows, _ = more[i+1].(int)
		case "sr":
			x.Quiet, _ = more[i+1].(bool)
		case "focus":
			x.Focus, _ = more[i+1].(bool)
		case "list":
			x.List, _ = more[i+1].([]string)
		case "options":
			options = more[i+1]
		default:
			return x, fmt.Errorf("field %s: there is no option %q", name, option)
		}
	}
	if len(more)%2 != 0 {
		return x, fmt.Errorf("field %s: an option without its value", name)
	}
	if err := x.choices(options); err != nil {
		return x, err
	}
	for _, n := range append([]string{name}, x.also...) {
		if x.Error == "" {
			x.Error = f.Err(n)
		}
	}
	said, typed := f.Values[name]
	if kind == "tick" && untouched == "false" {
		untouched = ""
	}
	if !typed && untouched != "" && !f.sent {
		said = []string{untouched}
	}
	if kind == "tick" {
		x.Options = []Option{{ID: "1", Chosen: len(said) > 0 && said[0] != ""}}
		return f.draw(x), nil
	}
	if said != nil || f.sent { // else as the options say themselves
		x.choose(said)
	}
	if len(said) > 0 && kind != "password" && kind != "file" {
		x.Value = said[0]
	}
	if said := f.Val(sure + name); strings.HasSuffix(x.Error, askSure) || said != "" && said == x.Value {
		x.Sure = true
	}
	if kind == "when" && x.Error == errTwice {
		x.Twice = "?"
	}
	if which := f.Val(name + twice); kind == "when" && which != "" {
		x.Twice = which
		f.drawn = append(f.drawn, Field{Kind: "hidden", Name: name + twice, Value: which})
	}
	return f.draw(x), nil
}

// choose marks what is chosen. A value that there is no option for any more stays as it
// is: it becomes one.
func (x *Field) choose(said []string) {
	if x.Kind != "select" && x.Kind != "choose" && x.Kind != "ticks" {
		return
	}
	for i := range x.Options {
		x.Options[i].Chosen = slices.Contains(said, x.Options[i].ID)
	}
	for _, value := range said {
		if value != "" && !slices.ContainsFunc(x.Options, func(o Option) bool { return o.ID == value }) {
			x.Options = append(x.Options, Option{ID: value, Name: value, Chosen: true})
		}
	}
}

// choices makes the options of a field of a list: of texts, of what has a Name, or
// of structs with the fields ID and Name.
func (x *Field) choices(list any) error {
	if list == nil {
		return nil
	}
	if options, ok := list.([]Option); ok {
		x.Options = slices.Clone(options)
		return nil
	}
	v := reflect.ValueOf(list)
	if v.Kind() != reflect.Slice {
		return fmt.Errorf("field %s: its options are no list", x.Name)
	}
	for i := range v.Len() {
		item := v.Index(i)
		named, hasName := item.Interface().(interface{ Name() string })
		switch {
		case hasName:
			x.Options = append(x.Options, Option{ID: fmt.Sprint(item.Interface()), Name: named.Name()})
		case item.Kind() == reflect.Struct && item.FieldByName("ID").IsValid() && item.FieldByName("Name").IsValid():
			o := Option{ID: fmt.Sprint(item.FieldByName("ID").Interface()), Name: fmt.Sprint(item.FieldByName("Name").Interface())}
			if why := item.FieldByName("Why"); why.Kind() == reflect.String {
				o.Note = why.String()
			}
			x.Options = append(x.Options, o)
		case item.Kind() == reflect.String:
			x.Options = append(x.Options, Option{ID: item.String(), Name: item.String()})
		default:
			return fmt.Errorf("field %s: %v is nothing to choose", x.Name, item.Interface())
		}
	}
	return nil
}
