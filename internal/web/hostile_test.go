package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/html"

	"leancatch/internal/demo"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// hostile are values that try to run a script, a query, a template, to leave the
// folder, to add a header, or to break what reads them.
var hostile = []string{
	`"><script src=data:,lc></script><img src=x onerror=lc()>`,
	`javascript:lc()//' onfocus='lc()' autofocus x='`,
	`'; drop table lot_event; select pg_sleep(9) --`,
	`lc{{print 7000 777}}lc${7*7}<%= 7*7 %>`,
	`../../../../../../etc/passwd`,
	"x\r\nSet-Cookie: hacked=1\r\n\r\n<b>",
	"a\x00b\xff\xfe\u202e\ufeff",
	strings.Repeat("9", 400),
	`-1e309`,
}

var idLike = regexp.MustCompile(`[0-9a-f]{8}-[0-9a-f-]{27}|species/[a-z][a-z0-9-]*|export/[a-z.]+|\d+`)

// crawler walks all pages as somebody and fills every form that it finds.
type crawler struct {
	*site
	server  *Server
	harbour kitchen.Site
	browser *http.Client
	group   string         // whose forms are filled
	seen    map[string]int // by pattern, how many pages of it were read
	forms   map[string]bool
	queue   []string
	sent    int
}

// visit reads a page, checks it, and keeps its links and forms.
func (c *crawler) visit(name string, res *http.Response) []sheet {
	c.t.Helper()
	defer res.Body.Close()
	body, err := io.ReadAll(io.LimitReader(res.Body, 4<<20))
	c.must(err)
	if res.StatusCode >= 500 {
		c.t.Errorf("%s: status %d: %.300s", name, res.StatusCode, body)
	}
	for _, cookie := range res.Cookies() {
		if cookie.Name == "hacked" {
			c.t.Errorf("%s: set a cookie of the attacker's", name)
		}
	}
	for _, leak := range []string{"SQLSTATE", "syntax error", "goroutine ", "runtime error", "root:x:",
		"lc7000 777lc", "lc7000777lc", "$argon2id$"} {
		if bytes.Contains(body, []byte(leak)) {
			c.t.Errorf("%s: the answer tells %q", name, leak)
		}
	}
	if !strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
		return nil
	}
	if !strings.Contains(res.Header.Get("Content-Security-Policy"), "script-src 'self'") ||
		res.Header.Get("X-Content-Type-Options") != "nosniff" {
		c.t.Errorf("%s: headers are missing", name)
	}
	doc, err := html.Parse(bytes.NewReader(body))
	c.must(err)
	var found []sheet
	for n := range doc.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		for _, a := range n.Attr {
			if strings.HasPrefix(a.Key, "on") || strings.HasPrefix(strings.ToLower(strings.TrimSpace(a.Val)),
				"javascript:") && (a.Key == "href" || a.Key == "src" || a.Key == "action") {
				c.t.Errorf("%s: <%s %s=%q>", name, n.Data, a.Key, a.Val)
			}
		}
		switch n.Data {
		case "script":
			if src := attr(n, "src"); !strings.HasPrefix(src, "/static/") {
				c.t.Errorf("%s: a script that is not ours: %q", name, src)
			}
		case "a":
			c.queue = append(c.queue, attr(n, "href"))
		case "form":
			found = append(found, readSheet(n))
		}
	}
	return found
}

func attr(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// fill sends a form with a hostile value: in all fields, or in those that people
// type into, with the others as the page made them.
func (c *crawler) fill(page string, f sheet, value string, all bool) {
	c.t.Helper()
	values := url.Values{}
	for _, b := range f.buttons {
		if b[0] != "" {
			values.Set(b[0], b[1])
		}
	}
	for name, kind := range f.kinds {
		switch {
		case !all && kind == "hidden":
			values[name] = f.values[name]
		case !all && len(f.fields[name]) > 0:
			values.Set(name, f.fields[name][len(f.fields[name])-1])
		default:
			values.Set(name, value)
		}
	}
	for name := range values {
		if all {
			values.Set(name, value)
		}
	}
	target, err := url.Parse(f.action)
	if err != nil || f.action == "" {
		target, _ = url.Parse(page)
	}
	name := fmt.Sprintf("%s %s with %.30q (from %s)", f.method, target.Path, value, page)
	var req *http.Request
	switch {
	case f.method != "post":
		target.RawQuery = values.Encode()
		req, err = http.NewRequest("GET", c.URL+target.String(), nil)
	case attr(f.node, "enctype") == "multipart/form-data":
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		part, _ := w.CreateFormFile("file", value)
		io.WriteString(part, "time,temp\n"+value+",1\n2026-01-01 00:00,"+value+"\n")
		for k, v := range values {
			if k != "file" {
				w.WriteField(k, v[0])
			}
		}
		w.Close()
		req, err = http.NewRequest("POST", c.URL+target.String(), &body)
		c.must(err)
		req.Header.Set("Content-Type", w.FormDataContentType())
	default:
		req, err = http.NewRequest("POST", c.URL+target.String(), strings.NewReader(values.Encode()))
		c.must(err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	c.must(err)
	res, err := c.browser.Do(req)
	c.must(err)
	c.visit(name, res)
	c.sent++
}

// perPattern is how many pages of one kind are read in a round.
const perPattern = 2

// round reads all pages that lead from one to the other, and fills the forms that
// were not filled before.
func (c *crawler) round(fill bool) {
	c.t.Helper()
	c.seen = map[string]int{}
	for c.queue = []string{"/k/harbour/board", "/k/harbour/records", "/k/harbour/people", "/sign-in",
		"/setup"}; len(c.queue) > 0; {
		link := c.queue[0]
		c.queue = c.queue[1:]
		u, err := url.Parse(link)
		if err != nil || !strings.HasPrefix(u.Path, "/") || u.Host != "" {
			continue
		}
		pattern := idLike.ReplaceAllString(u.Path, "#")
		for name := range u.Query() {
			pattern += "?" + name
		}
		if c.seen[pattern]++; c.seen[pattern] > perPattern {
			continue
		}
		res, err := c.browser.Get(c.URL + u.String())
		c.must(err)
		for _, f := range c.visit("GET "+u.Path, res) {
			kind := f.method + idLike.ReplaceAllString(f.action, "#") + fmt.Sprint(len(f.kinds))
			if !fill || c.forms[kind] || groupOf(f.action) != c.group || strings.HasSuffix(f.action, "/sign-out") || strings.HasSuffix(f.action,
				"/devices") || strings.HasSuffix(f.action, "/leave") {
				continue
			}
			c.forms[kind] = true
			for i, value := range hostile {
				c.fill(u.Path, f, value, i%2 == 0)
			}
		}
	}
}

// The groups of forms, by where they lead to, are filled beside each other, each in
// a kitchen of its own.
var hostileGroups = map[string]*regexp.Regexp{
	"fish": regexp.MustCompile(`^/k/harbour/(lots|deliveries|records|board|suppliers)\b`),
	"cold": regexp.MustCompile(`^/k/harbour/(cold|declarations|import|due)\b`),
	"rest": nil,
}

// groupOf names the group of a form.
func groupOf(action string) string {
	for name, of := range hostileGroups {
		if of != nil && of.MatchString(action) {
			return name
		}
	}
	return "rest"
}

// A crawl of all pages and forms with hostile values: nothing is executed, nothing
// breaks, nothing is said that is nobody's business.
func TestHostileValues(t *testing.T) {
	for name := range hostileGroups {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			c := newCrawler(t, name)
			c.round(true)
			c.round(false) // and what was stored is shown as it is
			if c.sent < 100 || len(c.seen) < 40 {
				t.Errorf("only %d forms were sent, %d kinds of pages seen", c.sent, len(c.seen))
			}
			t.Logf("%d forms sent, %d kinds of forms, %d kinds of pages", c.sent, len(c.forms), len(c.seen))
			c.chainsHold()
		})
	}
	t.Run("addresses", func(t *testing.T) {
		t.Parallel()
		c := newCrawler(t, "")
		c.addresses()
		c.chainsHold()
	})
}

// demoKitchens are those of the demo: something of everything.
var demoKitchens = storetest.Template{Fill: func(db *store.DB) error {
	_, err := demo.Fill(context.Background(), kitchen.New(db, slog.New(slog.DiscardHandler)))
	return err
}}

func TestMain(m *testing.M) {
	code := m.Run()
	demoKitchens.Drop()
	os.Exit(code)
}

// newCrawler is the owner of a demo of its own, who fills the forms of a group.
func newCrawler(t *testing.T, group string) *crawler {
	log := slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError}))
	s := &site{t: t, k: kitchen.New(demoKitchens.New(t), log)}
	server, err := New(s.k, log, Options{})
	s.must(err)
	s.Server = httptest.NewServer(server.Handler())
	t.Cleanup(s.Server.Close)
	all := store.Everywhere(context.Background())
	harbour, err := s.k.DB.SiteBySlug(all, "harbour")
	s.must(err)
	people, err := s.k.DB.People(all, harbour.ID)
	s.must(err)
	owner := people[slices.IndexFunc(people, func(p store.Person) bool { return p.Role == "owner" })]
	secret, err := s.k.Impersonate(all, kitchen.Site(harbour), owner.ID, kitchen.Origin{})
	s.must(err)
	c := &crawler{site: s, server: server, harbour: kitchen.Site(harbour), browser: browser(t), group: group,
		forms: map[string]bool{}}
	home, err := url.Parse(s.URL)
	s.must(err)
	c.browser.Jar.SetCookies(home, []*http.Cookie{{Name: sessionCookie, Value: secret}})
	c.browser.Timeout = 30 * time.Second
	return c
}

func (c *crawler) chainsHold() {
	if _, err := c.k.CheckChains(store.Everywhere(context.Background()), c.harbour); err != nil {
		c.t.Error(err)
	}
}

// addresses sends the values in the address, in headers and in cookies.
func (c *crawler) addresses() {
	for _, r := range slices.Concat(c.server.routes(), c.server.api.Routes()) {
		for _, value := range hostile {
			path := parameter.ReplaceAllStringFunc(r.Path, func(p string) string {
				if p == ":site" {
					return "harbour"
				}
				return url.PathEscape(value)
			})
			if strings.HasSuffix(path, "/live") || strings.HasSuffix(path, "sign-out") || strings.Contains(path,
				"/calc/") {
				continue
			}
			req, err := http.NewRequest(r.Method, c.URL+path+"?next="+url.QueryEscape(value)+"&q="+
				url.QueryEscape(value)+"&from="+url.QueryEscape(value), nil)
			c.must(err)
			req.AddCookie(&http.Cookie{Name: "theme", Value: "x"})
			req.Header.Set("User-Agent", strings.NewReplacer("\r", "", "\n", "", "\x00", "").Replace(value))
			req.Header.Set("Referer", c.URL+"/k/harbour/"+url.PathEscape(value))
			if r.Method == "POST" {
				req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			}
			res, err := c.browser.Do(req)
			c.must(err)
			if at := res.Request.URL.Host; "http://"+at != c.URL {
				c.t.Errorf("%s %s: led away to %s", r.Method, path, at)
			}
			c.visit(r.Method+" "+r.Path+fmt.Sprintf(" %.20q", value), res)
		}
	}
}
