package web

import (
	"net/url"
	"strings"
	"testing"

	"golang.org/x/net/html"
)

// sheet is a form of a page as a browser without scripts holds it.
type sheet struct {
	id, method, action string
	values             url.Values          // what it would send, without a button
	fields             map[string][]string // name → what may be chosen; nil for what is typed
	kinds              map[string]string   // name → select, textarea, number, or the type of its input
	wrong              map[string]bool     // the fields marked as wrong
	buttons            [][2]string         // name and value
	node               *html.Node
}

// sheets are the forms of a page.
func sheets(t *testing.T, page string) []sheet {
	t.Helper()
	doc, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	var list []sheet
	for n := range doc.Descendants() {
		if n.Type == html.ElementNode && n.Data == "form" {
			list = append(list, readSheet(n))
		}
	}
	return list
}

// sheetOf is the form of a page that is sent to an address.
func sheetOf(t *testing.T, page, action string) (sheet, bool) {
	for _, x := range sheets(t, page) {
		if x.action == action {
			return x, true
		}
	}
	return sheet{}, false
}

func readSheet(form *html.Node) sheet {
	s := sheet{id: attr(form, "id"), method: attr(form, "method"), action: attr(form, "action"), values: url.Values{},
		fields: map[string][]string{}, kinds: map[string]string{}, wrong: map[string]bool{}, node: form}
	for n := range form.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		name := attr(n, "name")
		if attr(n, "aria-invalid") == "true" {
			s.wrong[name] = true
			for x := range n.Descendants() { // a group of boxes
				if x.Data == "input" {
					s.wrong[attr(x, "name")] = true
				}
			}
		}
		switch n.Data {
		case "select", "textarea":
			s.kinds[name] = n.Data
		case "input":
			s.kinds[name] = attr(n, "type")
			if strings.Contains(attr(n, "class"), "num") {
				s.kinds[name] = "number"
			} else if strings.Contains(attr(n, "class"), "species") {
				s.kinds[name] = "species"
			}
		}
		switch n.Data {
		case "button":
			s.buttons = append(s.buttons, [2]string{name, attr(n, "value")})
		case "textarea":
			s.values.Add(name, text(n))
			s.fields[name] = nil
		case "select":
			chosen, ids := "", []string{}
			for o := range n.Descendants() {
				if o.Data == "option" {
					ids = append(ids, attr(o, "value"))
					if has(o, "selected") || len(ids) == 1 {
						chosen = attr(o, "value")
					}
				}
			}
			s.values.Add(name, chosen)
			s.fields[name] = ids
		case "input":
			switch attr(n, "type") {
			case "radio", "checkbox":
				s.fields[name] = append(s.fields[name], attr(n, "value"))
				if has(n, "checked") {
					s.values.Add(name, attr(n, "value"))
				}
			case "file", "hidden":
				if attr(n, "type") == "hidden" {
					s.values.Add(name, attr(n, "value"))
				}
			default:
				s.values.Add(name, attr(n, "value"))
				s.fields[name] = nil
			}
		}
	}
	return s
}

func has(n *html.Node, name string) bool {
	for _, a := range n.Attr {
		if a.Key == name {
			return true
		}
	}
	return false
}

func text(n *html.Node) string {
	var b strings.Builder
	for x := range n.Descendants() {
		if x.Type == html.TextNode {
			b.WriteString(x.Data)
		}
	}
	return b.String()
}

// textOf is what a page says.
func textOf(t *testing.T, page string) string {
	t.Helper()
	doc, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for n := range doc.Descendants() {
		if n.Type == html.TextNode && n.Parent.Data != "script" && n.Parent.Data != "style" {
			b.WriteString(n.Data + " ")
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

// press sends a form of a browser without scripts: where its page comes back with what it
// comes to, it presses the button once more, on exactly that.
func (s *site) press(path string, fields url.Values) (int, string) {
	s.t.Helper()
	status, page := s.submit(path, fields)
	if x, ok := sheetOf(s.t, page, path); ok && x.values.Has("shown") {
		return s.submit(path, x.values)
	}
	return status, page
}
