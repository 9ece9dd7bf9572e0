package web

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"leancatch/internal/core/access"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// routeFor is the route that answers an address: of several the one with the fewest parameters.
func routeFor(routes []httpx.Route, method, path string) (best httpx.Route, found bool) {
	asked := strings.Split(path, "/")
	for _, r := range routes {
		parts := strings.Split(r.Path, "/")
		fits := r.Method == method && len(parts) == len(asked)
		for i := 0; fits && i < len(parts); i++ {
			fits = parts[i] == asked[i] || strings.HasPrefix(parts[i], ":")
		}
		if fits && (!found || strings.Count(r.Path, ":") < strings.Count(best.Path, ":")) {
			best, found = r, true
		}
	}
	return best, found
}

var linked = regexp.MustCompile(`href="(/k/harbour[^"#]*)`)

// walk follows the links of the demo from the board, to at most so many pages of each
// pattern, and reads each page. What follows says whether a link is followed.
func (c *crawler) walk(most int, follows func(pattern, link string) bool, read func(pattern, path, page string)) {
	c.t.Helper()
	seen := map[string]int{}
	queue := []string{"/k/harbour/board"}
	for len(queue) > 0 {
		path := queue[0]
		queue = queue[1:]
		u, err := url.Parse(path)
		c.must(err)
		pattern := idLike.ReplaceAllString(u.Path, "#")
		if seen[pattern]++; seen[pattern] > most {
			continue
		}
		res, err := c.browser.Get(c.URL + path)
		c.must(err)
		if res.StatusCode != http.StatusOK {
			c.t.Errorf("%s: status %d", path, res.StatusCode)
		}
		isPage := strings.HasPrefix(res.Header.Get("Content-Type"), "text/html")
		_, page := c.read(res)
		if !isPage {
			continue
		}
		for _, m := range linked.FindAllStringSubmatch(page, -1) {
			if link := strings.ReplaceAll(m[1], "&amp;", "&"); follows(pattern, link) {
				queue = append(queue, link)
			}
		}
		read(pattern, path, page)
	}
}

// Words that a cook or a buyer would not use, or that mean something else: design has others.
var strange = regexp.MustCompile(`(?i)\b(docket|ager|hung|taken down|landed cost|ice days|age gap|keeps here|life left|parted|used up|strike|void|reckon|foretold|stands still|account for|ask the gate|core)\b`)

// wordsOf is what a page says, without what may well be said of a core.
func wordsOf(t *testing.T, page string) string {
	return strings.NewReplacer("ore temperature", "", "ore-thermometer", "", "at the core", "", "checked: core", "").Replace(textOf(t, page))
}

// People are shown what they may do, and nothing else: every link and every form on every
// page of the demo leads to something that its reader may open or send. Who writes may also
// send what a manager approves on the spot.
func TestPeopleSeeWhatTheyMayDo(t *testing.T) {
	t.Parallel()
	c := newCrawler(t, "")
	routes := c.server.routes()
	all := store.Everywhere(context.Background())
	people, err := c.k.DB.People(all, c.harbour.ID)
	c.must(err)
	home, err := url.Parse(c.URL)
	c.must(err)
	for _, role := range []access.Role{access.Auditor, access.Crew, access.Buyer, access.Manager} {
		i := slices.IndexFunc(people, func(p store.Person) bool { return p.Role == string(role) })
		if i < 0 {
			t.Fatalf("the demo has no %s", role)
		}
		secret, err := c.k.Impersonate(all, c.harbour, people[i].ID, kitchen.Origin{})
		c.must(err)
		c.browser.Jar.SetCookies(home, []*http.Cookie{{Name: sessionCookie, Value: secret}})
		may := func(right access.Right) bool {
			return role.May(right) || right == access.Manage && role.May(access.Write)
		}
		kinds, forms, told := map[string]bool{}, 0, map[string]bool{}
		complain := func(pattern, what string) {
			if key := what + pattern; !told[key] {
				told[key] = true
				t.Errorf("%s sees on %s %s", role, pattern, what)
			}
		}
		c.walk(3, func(pattern, link string) bool {
			to, err := url.Parse(link)
			c.must(err)
			r, ok := routeFor(routes, "GET", to.Path)
			if !ok || !role.May(r.Right) {
				complain(pattern, "a link to "+idLike.ReplaceAllString(to.Path, "#"))
			}
			return ok && role.May(r.Right)
		}, func(pattern, path, page string) {
			kinds[pattern] = true
			if word := strange.FindString(wordsOf(t, page)); word != "" && !strings.HasSuffix(pattern, "/sources") { // those quote the rules
				complain(pattern, fmt.Sprintf("%q", word))
			}
			for _, f := range sheets(t, page) {
				if f.method != "post" {
					continue
				}
				forms++
				action, err := url.Parse(f.action)
				c.must(err)
				if r, ok := routeFor(routes, "POST", action.Path); !ok || !may(r.Right) {
					complain(pattern, "a form for "+idLike.ReplaceAllString(action.Path, "#"))
				}
				if _, ok := routeFor(routes, "GET", action.Path); !ok {
					complain(pattern, "a form that leaves a page behind that cannot be opened again: "+idLike.ReplaceAllString(action.Path, "#"))
				}
			}
		})
		t.Logf("%s: %d kinds of pages, %d forms", role, len(kinds), forms)
	}
}
