package internal_test

import (
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"go/ast"
)

// What the glossary names in the code is there.
func TestGlossaryNames(t *testing.T) {
	text, err := os.ReadFile("../docs/glossary.md")
	if err != nil {
		t.Fatal(err)
	}
	names := regexp.MustCompile("`([a-z]+)\\.([A-Z][A-Za-z]+)").FindAllSubmatch(text, -1)
	if len(names) < 30 {
		t.Fatalf("only %d names", len(names))
	}
	declared := map[string]map[string]bool{}
	for _, found := range names {
		pkg, name := string(found[1]), string(found[2])
		if declared[pkg] == nil {
			declared[pkg] = declarations(t, pkg)
		}
		if !declared[pkg][name] {
			t.Errorf("%s.%s is in the glossary and not in the code", pkg, name)
		}
	}
}

// declarations are the names that a package exports.
func declarations(t *testing.T, pkg string) map[string]bool {
	names := map[string]bool{}
	var paths []string
	for _, dir := range []string{"core/", "web/", ""} {
		found, _ := filepath.Glob(dir + pkg + "/*.go")
		paths = append(paths, found...)
	}
	for _, path := range paths {
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		if err != nil {
			t.Fatal(err)
		}
		for _, decl := range file.Decls {
			switch d := decl.(type) {
			case *ast.FuncDecl:
				if d.Recv == nil {
					names[d.Name.Name] = true
				}
			case *ast.GenDecl:
				for _, spec := range d.Specs {
					switch s := spec.(type) {
					case *ast.TypeSpec:
						names[s.Name.Name] = true
					case *ast.ValueSpec:
						for _, n := range s.Names {
							names[n.Name] = true
						}
					}
				}
			}
		}
	}
	return names
}
