package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"examen/test/whole"
)

var (
	// metricName is a metric in a query, with what is asked of its labels.
	metricName = regexp.MustCompile(`\b((?:examen|process|go)_[a-z_]+)(?:\{([^}]*)\})?`)
	labelAsked = regexp.MustCompile(`([a-z]+)(=~|!=|!~|=)"([^"]*)"`)
)

// The dashboard and the alert rules ask for metrics that there are, with labels and paths that there are.
func TestTheDashboardAndTheRulesAskForWhatThereIs(t *testing.T) {
	rules, err := os.ReadFile(filepath.Join("..", "deploy", "alerts.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(filepath.Join("..", "deploy", "dashboard.json"))
	if err != nil {
		t.Fatal(err)
	}
	var dashboard struct {
		Panels []struct {
			Title, Type string
			Targets     []struct{ Expr string }
		}
	}
	if err := json.Unmarshal(text, &dashboard); err != nil {
		t.Fatal(err)
	}
	queries := []string{string(rules)}
	for _, p := range dashboard.Panels {
		if p.Type != "row" && len(p.Targets) == 0 {
			t.Errorf("the panel %q asks for nothing", p.Title)
		}
		for _, target := range p.Targets {
			queries = append(queries, target.Expr)
		}
	}
	contract, err := os.ReadFile(filepath.Join("..", "api", "openapi.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	there := metrics(t, whole.Shared)
	asked := 0
	for _, query := range queries {
		for _, found := range metricName.FindAllStringSubmatch(query, -1) {
			asked++
			var forms []string
			for name := range there {
				if metric, labels, _ := strings.Cut(name, "{"); metric == found[1] {
					forms = append(forms, labels)
				}
			}
			if len(forms) == 0 && found[1] != "examen_outcomes_total" && found[1] != "examen_tasks" { // nothing yet
				t.Errorf("there is no metric %s", found[1])
			}
			for _, label := range labelAsked.FindAllStringSubmatch(found[2], -1) {
				if label[1] == "path" {
					path := regexp.MustCompile(`:(\w+)`).ReplaceAllString(label[3], "{$1}")
					if !strings.Contains(string(contract), "\n  "+path+":\n") {
						t.Errorf("there is no call %s", label[3])
					}
				}
				if label[1] != "job" && len(forms) > 0 && !slices.ContainsFunc(forms, func(labels string) bool {
					return strings.Contains(labels, label[1]+`="`)
				}) {
					t.Errorf("%s has no label %s", found[1], label[1])
				}
			}
		}
	}
	if asked < 30 {
		t.Errorf("only %d metrics are asked for", asked)
	}
}
