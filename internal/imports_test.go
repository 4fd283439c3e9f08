// Package internal holds only the test that keeps the import rule: core
// decides, the edges act, and imports point inward.
package internal

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const module = "restlesscrate/"

// allowed says, for a folder and everything below it, which of our folders it
// may import. The longest matching rule counts.
var allowed = map[string][]string{
	"internal/words":             {},
	"internal/core":              {"internal/core"},
	"internal/disk":              {},
	"internal/stockroom":         {"internal/core", "internal/disk"},
	"internal/archive":           {"internal/core", "internal/stockroom"},
	"internal/fault":             {"internal/core"},
	"internal/seal":              {},
	"internal/model":             {"internal/core"},
	"internal/remote":            {"internal/core", "internal/remote", "internal/disk"},
	"internal/deploy":            {"internal/core", "internal/remote", "internal/stockroom"},
	"internal/observe":           {"internal/core", "internal/model", "internal/remote"},
	"internal/records":           {"internal/core", "internal/model", "internal/deploy", "internal/stockroom"},
	"internal/jobs":              {"internal/core", "internal/model"},
	"internal/helper":            {},
	"internal/fetch":             {},
	"internal/watch":             {},
	"internal/metrics":           {},
	"internal/service/catalog":   {"internal/core", "internal/model", "internal/fault", "internal/archive", "internal/stockroom", "internal/helper", "internal/fetch"},
	"internal/service/hosts":     {"internal/observe", "internal/core", "internal/model", "internal/fault", "internal/remote", "internal/stockroom", "internal/deploy", "internal/control"},
	"internal/service/requests":  {"internal/core", "internal/model", "internal/fault", "internal/deploy"},
	"internal/service/drafts":    {"internal/observe", "internal/service/requests", "internal/core", "internal/model", "internal/fault", "internal/remote", "internal/deploy"},
	"internal/service/verify":    {"internal/observe", "internal/core", "internal/model", "internal/fault", "internal/remote", "internal/deploy"},
	"internal/service/changes":   {"internal/service/requests", "internal/service/drafts", "internal/service/verify", "internal/core", "internal/model", "internal/fault", "internal/remote", "internal/stockroom", "internal/deploy"},
	"internal/service/witness":   {"internal/service/requests", "internal/service/verify", "internal/service/changes", "internal/core", "internal/model", "internal/fault"},
	"internal/service/texts":     {"internal/core", "internal/model", "internal/fault", "internal/remote", "internal/deploy"},
	"internal/service/adopt":     {"internal/core", "internal/model", "internal/fault", "internal/remote", "internal/deploy"},
	"internal/service/mending":   {"internal/core", "internal/model", "internal/remote", "internal/stockroom"},
	"internal/service/turns":     {},
	"internal/service/learning":  {"internal/service/turns", "internal/core", "internal/model", "internal/fault"},
	"internal/service/feeds":     {"internal/core", "internal/model", "internal/fault", "internal/fetch"},
	"internal/service/schedules": {"internal/service/requests", "internal/core", "internal/model", "internal/fault", "internal/jobs"},
	"internal/service/notices":   {"internal/core", "internal/model", "internal/fault", "internal/fetch"},
	"internal/service/groups":    {"internal/service/requests", "internal/core", "internal/model", "internal/fault"},
	"internal/service/promotion": {"internal/core", "internal/model", "internal/fault"},
	"internal/service/packing":   {"internal/core", "internal/model", "internal/fault"},
	"internal/service/inbox":     {"internal/service/catalog", "internal/fault", "internal/watch", "internal/jobs", "internal/core"},
	"internal/service/narrowing": {"internal/service/turns", "internal/service/requests", "internal/core", "internal/model", "internal/fault"},
	"internal/service/tidying":   {"internal/core", "internal/model", "internal/fault", "internal/stockroom"},
	"internal/service/survey":    {"internal/core", "internal/model", "internal/fault", "internal/remote", "internal/deploy", "internal/observe"},
	"internal/service/insight":   {"internal/core", "internal/model", "internal/fault"},
	"internal/api":               {"internal/core"}, // what does not differ on the wire is the core's own
	"internal/httpapi":           {"internal/fetch", "internal/api", "internal/control", "internal/core", "internal/model", "internal/fault", "internal/jobs", "internal/service"},
	"internal/client":            {"internal/api", "internal/core/power"},
	"internal/cli":               {"internal/api", "internal/client", "internal/core/power", "internal/core/feed", "internal/core/tree", "internal/watch"},
	"internal/control":           {"internal/core"},
	"internal/standin":           {"internal/standin"},
	"internal/demo":              {"internal/api", "internal/client", "internal/core/power", "internal/standin"},
}

// open are our folders that every other may import: they know none of them.
var open = []string{"internal/words"}

// forbidden are packages of the standard library that the core must not know.
var forbidden = []string{"net", "net/http", "os", "os/exec", "database/sql", "log", "log/slog", "time"}

func TestImportsPointInward(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}{{range .Imports}} {{.}}{{end}}`, module+"internal/...").Output()
	require.NoError(t, err)
	seen := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		from := strings.TrimPrefix(fields[0], module)
		may, ruled := rule(from)
		if !ruled {
			continue // tests' own helpers
		}
		seen++
		for _, imported := range fields[1:] {
			if ours, ok := strings.CutPrefix(imported, module); ok {
				require.True(t, within(ours, may) || within(ours, open), "%s must not import %s", from, ours)
			} else if strings.HasPrefix(from, "internal/core") {
				require.NotContains(t, forbidden, imported, "%s is core", from)
			}
		}
	}
	require.GreaterOrEqual(t, seen, len(allowed)-2, "every rule is about something")
}

func rule(pkg string) (may []string, ok bool) {
	best := ""
	for folder, list := range allowed {
		if (pkg == folder || strings.HasPrefix(pkg, folder+"/")) && len(folder) > len(best) {
			best, may, ok = folder, list, true
		}
	}
	return may, ok
}

func within(pkg string, folders []string) bool {
	for _, f := range folders {
		if pkg == f || strings.HasPrefix(pkg, f+"/") {
			return true
		}
	}
	return false
}
