// Package internal_test holds the arrows between the packages: who may import whom.
package internal_test

import (
	"os/exec"
	"strings"
	"testing"
)

// forbidden are the imports that a package, or one below it, must not have. An entry
// that ends in / stands for all packages below it; ours stands for all of this module
// that are not named as allowed.
var forbidden = []struct {
	from    string
	allowed []string // of this module; nil for all
	never   []string // of any module
}{
	{from: "core/", allowed: []string{"core/"}, never: []string{"net/http", "database/sql", "github.com/jackc/",
		"github.com/gin-gonic/"}},
	{from: "store", allowed: []string{"core/"}, never: []string{"net/http", "github.com/gin-gonic/"}},
	{from: "drawing", allowed: []string{"core/"}, never: []string{"github.com/jackc/", "github.com/gin-gonic/"}},
	{from: "intake", allowed: []string{"core/"}, never: []string{"github.com/jackc/", "github.com/gin-gonic/"}},
	{from: "photo", allowed: []string{}},
	{from: "ipp", allowed: []string{}},
	{from: "label", allowed: []string{"ipp"}},
	{from: "kitchen", allowed: []string{"core/", "store", "intake", "photo", "ipp", "label"},
		never: []string{"net/http", "github.com/gin-gonic/"}},
	{from: "wording", allowed: []string{"core/"}, never: []string{"net/http", "github.com/jackc/", "github.com/gin-gonic/"}},
	{from: "interchange", allowed: []string{"core/", "kitchen", "wording"},
		never: []string{"github.com/jackc/", "github.com/gin-gonic/"}},
	{from: "httpx", allowed: []string{"core/access", "core/invalid"}, never: []string{"github.com/jackc/"}},
	{from: "api", allowed: []string{"core/", "httpx", "kitchen", "intake", "interchange"}, never: []string{"github.com/jackc/"}},
	{from: "web/form", allowed: []string{"core/invalid", "core/unit"}, never: []string{"github.com/gin-gonic/"}},
	{from: "web", allowed: []string{"core/", "httpx", "api", "kitchen", "intake", "interchange", "drawing", "photo", "ipp", "label", "wording", "web/form"},
		never: []string{"github.com/jackc/"}},
}

func TestArrows(t *testing.T) {
	const module = "leancatch/internal/"
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "./...").Output()
	if err != nil {
		t.Fatalf("go list: %v", err)
	}
	below := func(path, rule string) bool {
		if strings.HasSuffix(rule, "/") {
			return strings.HasPrefix(path, rule)
		}
		return path == rule
	}
	seen := map[string]bool{}
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		from := strings.TrimPrefix(words[0], module)
		for _, rule := range forbidden {
			if !below(from, rule.from) {
				continue
			}
			seen[rule.from] = true
			for _, to := range words[1:] {
				ours, isOurs := strings.CutPrefix(to, module)
				bad := isOurs
				for _, a := range rule.allowed {
					bad = bad && !below(ours, a)
				}
				for _, n := range rule.never {
					bad = bad || below(to, n)
				}
				if bad {
					t.Errorf("%s imports %s", from, to)
				}
			}
		}
	}
	for _, rule := range forbidden {
		if !seen[rule.from] {
			t.Errorf("there is no package %s: correct this table", rule.from)
		}
	}
}
