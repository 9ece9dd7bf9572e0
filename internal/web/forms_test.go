package web

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"leancatch/internal/web/form"
)

// visitForms walks the pages of the demo, a few of each kind, and gives each form that has
// something to fill in to do, until that is done with it.
func (c *crawler) visitForms(do func(path string, f sheet) bool) {
	c.t.Helper()
	done := map[string]bool{}
	c.walk(5, func(string, string) bool { return true }, func(_, path, page string) {
		for _, f := range sheets(c.t, page) {
			key := idLike.ReplaceAllString(f.action+" "+f.id, "#")
			if f.method == "post" && len(f.fields) > 0 && !done[key] {
				done[key] = do(path, f)
			}
		}
	})
}

// fitting are values for fields that take only some: by name.
var fitting = map[string]string{"time_zone": "Europe/Paris", "service": "11:30 18:45", "checks": "07:10", "delay": "25", "warm": "5.5",
	"cold": "-1.5", "set": "1.5", "weight_kg": "0.5", "kg": "0.5", "core_celsius": "66", "fao_area": "27"}

// altered fills a form in anew: each field gets another value of its kind. It returns what was
// changed.
func (f sheet) altered() (values url.Values, changed []string) {
	values = url.Values{}
	for name, v := range f.values {
		values[name] = slices.Clone(v)
	}
	for name, options := range f.fields {
		was, now := f.values.Get(name), ""
		switch kind := f.kinds[name]; kind {
		case "radio", "select":
			other := slices.DeleteFunc(slices.Clone(options), func(id string) bool { return id == "" || id == was })
			if len(other) == 0 {
				continue
			}
			now = other[len(other)-1]
		case "checkbox":
			if was == "" {
				now = options[0]
			}
		case "number":
			now = "1.5"
			if n, err := strconv.ParseFloat(strings.ReplaceAll(was, "−", "-"), 64); err == nil {
				now = strconv.FormatFloat(n+1, 'f', -1, 64)
			}
		case "datetime-local":
			at, err := time.Parse(form.LocalTime, was)
			if err != nil {
				at = time.Now().UTC().Add(-2 * time.Hour)
			}
			now = at.Add(-time.Minute).Format(form.LocalTime)
		case "date":
			now = time.Now().AddDate(0, 0, -1).Format(time.DateOnly)
		case "time":
			now = "03:15"
		case "species":
			if now = "Haddock"; was == now {
				now = "Atlantic cod"
			}
		case "text", "textarea":
			now = "typed by hand"
		default:
			continue
		}
		if right, ok := fitting[name]; ok {
			now = right
		}
		if now == was || name == "left_at" { // typed as minutes, and stored as an instant
			continue
		}
		changed = append(changed, name)
		if values.Del(name); now != "" {
			values.Set(name, now)
		}
	}
	return values, changed
}

// Without a script, every form of every page comes back with all that was typed into it, and
// does nothing, where it is sent to be looked at first.
func TestEveryFormKeepsWhatIsTyped(t *testing.T) {
	t.Parallel()
	c := newCrawler(t, "")
	checked, routes := 0, map[string]bool{}
	c.visitForms(func(path string, f sheet) bool {
		values, changed := f.altered()
		res, err := c.browser.PostForm(c.URL+f.action, url.Values(mergedWith(values, "preview", "1")))
		c.must(err)
		status, page := c.read(res)
		name := fmt.Sprintf("%s of %s", f.action, path)
		if status != http.StatusOK && status != http.StatusUnprocessableEntity {
			t.Errorf("%s: status %d", name, status)
			return true
		}
		var again sheet
		for _, x := range sheets(t, page) {
			if x.action == f.action && x.id == f.id {
				again = x
			}
		}
		if again.node == nil {
			t.Errorf("%s: the form does not come back", name)
			return true
		}
		checked++
		if r, ok := routeFor(c.server.routes(), "POST", strings.Split(f.action, "?")[0]); ok {
			routes[r.Path] = true
		}
		for _, field := range changed {
			if _, there := again.fields[field]; there && !slices.Equal(again.values[field], values[field]) {
				t.Errorf("%s: %s says %q, typed %q", name, field, again.values[field], values[field])
			}
		}
		return true
	})
	if len(routes) < 45 {
		t.Errorf("only %d routes with forms were found", len(routes))
	}
	t.Logf("%d forms of %d routes", checked, len(routes))
}

// settingsPages are the forms that show what is so: what was stored stands in them.
var settingsPages = []string{"/settings", "/cold/places/:id", "/cold/places/:id/box", "/cold/alarm-settings", "/cold/freezer/places/:id",
	"/cold/thaw/policy", "/cold/ageing/places/:id", "/suppliers", "/suppliers/:id", "/shift/scales", "/devices/lock", "/rules"}

var correctLink = regexp.MustCompile(`/lots/[0-9a-f-]{36}/entries/[0-9a-f-]{36}/correct`)

// entriesOf are the links that correct the entries of a lot.
func (c *crawler) entriesOf(lot string) []string {
	_, page := c.open("/k/harbour/lots/" + lot)
	return correctLink.FindAllString(page, -1)
}

func (c *crawler) open(path string) (int, string) {
	res, err := c.browser.Get(c.URL + path)
	c.must(err)
	return c.read(res)
}

// pressed sends a form as a browser without scripts does, and presses on where it is asked
// whether it is so. What is refused it chooses otherwise, or leaves as it was. It gives the
// form as it was sent at last.
func (c *crawler) pressed(f sheet, values url.Values) (taken bool, sent url.Values) {
	for try := range 6 {
		if len(f.buttons) > 0 && f.buttons[0][0] != "" {
			values = mergedWith(values, f.buttons[0][0], f.buttons[0][1])
		}
		res, err := c.browser.PostForm(c.URL+f.action, values)
		c.must(err)
		taken := res.Request.Method == http.MethodGet // it led on
		_, page := c.read(res)
		if taken {
			return true, values
		}
		again, ok := sheet{}, false
		for _, x := range sheets(c.t, page) {
			if x.action == f.action && x.id == f.id {
				again, ok = x, true
			}
		}
		if !ok {
			return false, values
		}
		values = again.values
		for name, options := range again.fields {
			asked := again.fields["sure-"+name] != nil
			switch {
			case asked:
				values["sure-"+name] = again.fields["sure-"+name]
			case again.wrong[name] && len(options) > 0:
				values[name] = []string{options[try%len(options)]}
			case again.wrong[name]:
				values[name] = f.values[name]
			}
		}
	}
	return false, values
}

// saysSame reports whether two fields say the same; a number may be written in two ways.
func saysSame(a, b []string) bool {
	clean := func(list []string) (out []string) {
		for _, x := range list {
			x = strings.ReplaceAll(strings.TrimSpace(x), "−", "-")
			if n, err := strconv.ParseFloat(x, 64); err == nil {
				x = strconv.FormatFloat(n, 'f', -1, 64)
			}
			if x != "" {
				out = append(out, x)
			}
		}
		slices.Sort(out)
		return out
	}
	return slices.Equal(clean(a), clean(b))
}

// What is stored is what was on the screen. Each form is sent with all its fields changed:
// what it wrote into a lot is read off the page that corrects it, and a setting off its form.
func TestWhatIsStoredIsWhatWasShown(t *testing.T) {
	t.Parallel()
	c := newCrawler(t, "")
	stored := map[string]int{} // fields compared, by route
	c.visitForms(func(path string, f sheet) bool {
		r, ok := routeFor(c.server.routes(), "POST", strings.Split(f.action, "?")[0])
		if !ok {
			t.Fatalf("%s leads nowhere", f.action)
		}
		name := strings.TrimPrefix(r.Path, "/k/:site")
		setting := slices.Contains(settingsPages, name)
		if last := f.action[strings.LastIndex(f.action, "/")+1:]; strings.HasSuffix(name, "/:kind") || strings.HasSuffix(name, "/:what") {
			name = name[:strings.LastIndex(name, "/")+1] + last
		}
		values, changed := f.altered()
		lot := values.Get("lot")
		if m := regexp.MustCompile(`/lots/([0-9a-f-]{36})`).FindStringSubmatch(f.action); m != nil {
			lot = m[1]
		}
		if !setting && lot == "" || strings.Contains(name, "correct") || strings.HasSuffix(name, "/voided") || len(changed) == 0 {
			return true
		}
		var before []string
		if lot != "" {
			before = c.entriesOf(lot)
		}
		taken, sent := c.pressed(f, values)
		if !taken {
			return false
		}
		compare := func(at sheet, prefix string) {
			for _, field := range changed {
				if _, there := at.fields[prefix+field]; there && !saysSame(sent[field], f.values[field]) {
					stored[name]++
					if !saysSame(at.values[prefix+field], sent[field]) {
						t.Errorf("%s: %s was %q on the screen, %q is stored", name, field, sent[field], at.values[prefix+field])
					}
				}
			}
		}
		if setting {
			_, page := c.open(path)
			for _, x := range sheets(t, page) {
				if x.action == f.action && x.id == f.id {
					compare(x, "")
				}
			}
			return true
		}
		for _, link := range c.entriesOf(lot) {
			if !slices.Contains(before, link) {
				_, page := c.open("/k/harbour" + link)
				at, _ := sheetOf(t, page, "/k/harbour"+link)
				compare(at, "data.")
			}
		}
		return stored[name] > 0
	})
	if len(stored) < 25 {
		t.Errorf("only %d kinds of forms could be sent: %v", len(stored), slices.Sorted(maps.Keys(stored)))
	}
	t.Log(stored)
}

func mergedWith(values url.Values, name, value string) url.Values {
	out := url.Values{name: {value}}
	for k, v := range values {
		out[k] = v
	}
	return out
}
