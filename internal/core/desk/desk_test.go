package desk_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/desk"
	"restlesscrate/internal/core/finding"
)

const noon = 1795953600000

// Everything that the desk is to gather, one of each, on servers in the wrong order.
func TestEverythingThatWaitsIsThereAndTheWorstIsFirst(t *testing.T) {
	servers := []desk.Server{
		{Name: "lantern", Addons: []desk.Addon{{Name: "drum-tent", Newer: "0.5"}, {Name: "rope-stall", Silent: true}}, Released: []string{"honey-stall 2"},
			Changed: &desk.Change{Changed: 2, Missing: 1, Paths: []string{"fair.order"}, By: "a survey", At: noon}},
		{Name: "mossgrave", Open: &desk.Deployment{Name: "mossgrave#2", State: "waiting", Trouble: "Press Stop in your host's panel."}},
		{Name: "pier", Stopped: true, Search: &desk.Narrowing{Off: []string{"gull-flocks", "rope-stall"}, By: "owner", At: noon}, Drafts: []desk.Deployment{{Name: "pier#3"}}, Apart: []finding.Finding{{What: "Two ports differ."}}},
		{Name: "quay", Reach: &finding.Finding{Code: "host-key-changed", What: "the key has changed"}},
		{Name: "reed", Reach: &finding.Finding{Code: "host-unreachable", What: "no answer"}},
		{Name: "saltpan", Addons: []desk.Addon{{Name: "gull-flocks", Trouble: "needs keel 4.2", Line: "keel 4.2 or newer, found 4.1"}}, RolledBy: "saltpan#31", RolledAt: noon,
			Drafts: []desk.Deployment{{Name: "saltpan#32", Blocks: 2}}, Company: []finding.Finding{{Level: finding.Warn, What: "tide-lamps needs tide-base."}, {Level: finding.Note, What: "fine"}}},
		{Name: "wharf", Open: &desk.Deployment{Name: "wharf#1", State: "halted", Trouble: "the disk is full"}},
	}
	got := desk.Needs(servers, desk.Beside{Missed: []desk.Miss{{Schedule: "nightly", Server: "pier"}}, Unread: []desk.Unreadable{{Feed: "board"}}, Untaken: []desk.Download{{Name: "x.zip"}}})
	var kinds []desk.Kind
	for _, n := range got {
		kinds = append(kinds, n.Kind)
		require.NotEmpty(t, n.Deeds, "%s has a deed that helps", n.Kind)
		require.NotEmpty(t, n.What)
	}
	require.Equal(t, []desk.Kind{desk.Halted, desk.HostKey, desk.NoReach, desk.Down, desk.Failed, desk.ByHand, desk.Search, desk.Unsuited, desk.Blocked, desk.Changed, desk.Silent, desk.Apart, desk.Missed, desk.Unread, desk.Untaken, desk.Drafted, desk.Update, desk.Released}, kinds)
	failed := got[4]
	require.Equal(t, "gull-flocks did not load on saltpan", failed.What)
	require.Equal(t, "keel 4.2 or newer, found 4.1", failed.Line)
	require.Equal(t, []finding.Remedy{finding.CallRoll.On("saltpan"), finding.ShowDeployment.On("saltpan#31")}, failed.Deeds)
	require.Equal(t, "mossgrave#2 waits for you: Press Stop in your host's panel", got[5].What)
	require.Equal(t, finding.TickDeployment.On("mossgrave#2"), got[5].Deeds[0])
	require.Equal(t, "off for it: gull-flocks, rope-stall; begun by owner", got[6].More)
	require.Equal(t, "saltpan#32 is drafted, and 2 findings block it", got[8].What)
	require.Equal(t, "3 files on lantern were changed outside", got[9].What)
	require.Equal(t, "2 changed, 1 missing; found by a survey: fair.order", got[9].More)
}

// A server on which all is well asks for nothing, and neither does one that a deployment has stopped.
func TestTheDeskIsQuietWhenAllIsWell(t *testing.T) {
	well := desk.Server{Name: "lantern", Addons: []desk.Addon{{Name: "drum-tent", Version: "0.4"}}, Changed: &desk.Change{By: "a survey"}}
	working := desk.Server{Name: "saltpan", Stopped: true, Open: &desk.Deployment{Name: "saltpan#2", State: "running"}}
	require.Empty(t, desk.Needs([]desk.Server{well, working}, desk.Beside{}))
}

// Whatever the order in which servers are given, the list is the same and never puts a lighter
// thing before a heavier one.
func TestTheOrderDoesNotComeFromTheServers(t *testing.T) {
	weight := map[finding.Level]int{finding.Block: 0, finding.Warn: 1, finding.Note: 2}
	rapid.Check(t, func(rt *rapid.T) {
		names := []string{"a", "b", "c", "d"}
		var servers []desk.Server
		for _, name := range names {
			s := desk.Server{Name: name, Stopped: rapid.Bool().Draw(rt, "stopped")}
			if rapid.Bool().Draw(rt, "newer") {
				s.Addons = append(s.Addons, desk.Addon{Name: "x", Newer: "2"})
			}
			if rapid.Bool().Draw(rt, "open") {
				s.Open = &desk.Deployment{Name: name + "#1", State: rapid.SampledFrom([]string{"halted", "waiting", "running"}).Draw(rt, "state")}
			}
			if rapid.Bool().Draw(rt, "drafted") {
				s.Drafts = []desk.Deployment{{Name: name + "#2", Blocks: rapid.IntRange(0, 2).Draw(rt, "blocks")}}
			}
			servers = append(servers, s)
		}
		got := desk.Needs(servers, desk.Beside{})
		require.Equal(t, got, desk.Needs(rapid.Permutation(servers).Draw(rt, "order"), desk.Beside{}))
		for i := 1; i < len(got); i++ {
			require.LessOrEqual(t, weight[got[i-1].Level], weight[got[i].Level])
		}
	})
}
