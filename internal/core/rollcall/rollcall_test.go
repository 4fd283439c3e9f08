package rollcall

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

var rules = rulebook.Log{Ready: []string{`^the fair is open$`}, Loaded: []string{`^stall (?P<name>\S+) opens, version (?P<version>\S+)`},
	Failed: []string{`^stall (?P<name>\S+) stays shut: (?P<why>.*)$`}, Missing: []string{`^stall (?P<name>\S+) asks for (?P<needs>\S+)$`},
	Error: []string{`^error: `}, Harmless: []string{`^error: nobody is about$`}}

const log = "starting\n\x1b[32mstall gate opens, version 1.0\x1b[0m\r\nstall drum asks for bell\nstall drum stays shut: it is called before what it asks for\n" +
	"error: nobody is about\nerror: the licence key was refused\nstall odd opens, version 3\nthe fair is open\nstall half op"

func TestALogIsTakenApart(t *testing.T) {
	got := Read(rules, log)
	require.True(t, got.Ready)
	require.Equal(t, 8, got.Lines, "a line that is still being written is not read")
	require.Equal(t, []Heard{
		{Name: "gate", Version: "1.0", Loaded: true, Lines: []Line{{2, "stall gate opens, version 1.0"}}},
		{Name: "drum", Failed: true, Why: "it needs bell", Needs: []string{"bell"}, Lines: []Line{{3, "stall drum asks for bell"}, {4, "stall drum stays shut: it is called before what it asks for"}}},
		{Name: "odd", Version: "3", Loaded: true, Lines: []Line{{7, "stall odd opens, version 3"}}},
	}, got.Heard)
	require.Equal(t, []Line{{6, "error: the licence key was refused"}}, got.Errors, "what is known to be harmless is not told")
}

func TestWhatFailedAndThenLoadedIsLoaded(t *testing.T) {
	got := Read(rules, "stall a stays shut: not now\nstall a opens, version 2\n")
	require.Equal(t, "2", got.Heard[0].Version)
	require.True(t, got.Heard[0].Loaded)
	require.False(t, got.Heard[0].Failed)
	require.Empty(t, got.Heard[0].Why)
}

func TestARollSaysHowEverybodyStands(t *testing.T) {
	expected := []Expected{{Addon: "gate", Version: "1.0", Names: []string{"gate"}}, {Addon: "drum", Names: []string{"drum"}}, {Addon: "quiet", Names: []string{"quiet", "Quiet"}, Listed: true}, {Addon: "off", Names: []string{"off"}, Off: true}}
	roll := Call(expected, Read(rules, log), false, nil)
	var short []string
	for _, e := range roll.Entries {
		short = append(short, e.Addon+" "+string(e.Standing))
	}
	require.Equal(t, []string{"drum failed", "quiet silent", "odd unknown", "gate loaded"}, short)
	require.Equal(t, 1, roll.Count(Failed))
	quiet, _ := roll.Entry("quiet")
	require.Empty(t, quiet.Why)
	silent := Call([]Expected{{Addon: "tunes", Names: []string{"tunes"}}}, Read(rules, log), false, nil)
	tunes, _ := silent.Entry("tunes")
	require.Equal(t, "no load list names it, and the server says nothing of it", tunes.Why)
	drum, ok := roll.Entry("drum")
	require.True(t, ok)
	require.Equal(t, "it needs bell", drum.Why)
	require.Len(t, drum.Lines, 2)
}

func TestTheConsoleHasTheLastWord(t *testing.T) {
	console := rulebook.Console{Send: "stalls", Line: []string{`^\* (?P<name>\S+) (?P<version>\S+)`}}
	heard := Answer(console, "open stalls:\n* quiet 2\n* gate 1.1\n* off 1\n")
	expected := []Expected{{Addon: "gate", Version: "1.0", Names: []string{"gate"}}, {Addon: "odd", Names: []string{"odd"}}, {Addon: "quiet", Names: []string{"quiet"}}, {Addon: "off", Names: []string{"off"}, Off: true}}
	roll := Call(expected, Read(rules, log), true, heard)
	why := map[string]string{}
	for _, e := range roll.Entries {
		why[e.Addon+" "+string(e.Standing)] = e.Why
	}
	require.Equal(t, map[string]string{
		"gate loaded":  "the server says version 1.1, and the ledger has 1.0",
		"odd failed":   "the log says that it loaded, but the console does not name it any more",
		"quiet loaded": "",
		"off loaded":   "it is disabled, and was loaded all the same",
		"drum failed":  "it needs bell",
	}, why)
}

func TestOddEncodingsAreRead(t *testing.T) {
	require.Equal(t, "höhle\n", Decode([]byte("h\xc3\xb6hle\n")))
	require.Equal(t, "höhle\n", Decode([]byte("\xef\xbb\xbfh\xc3\xb6hle\n")))
	require.Equal(t, "höhle und schächte, groß und größer, überall öde\n", Decode([]byte("h\xf6hle und sch\xe4chte, gro\xdf und gr\xf6\xdfer, \xfcberall \xf6de\n")))
	require.Equal(t, "höhle öde\n", Decode([]byte("h\xf6hle \xf6de\n")))
	require.Equal(t, "ab\n", Decode([]byte("\xff\xfea\x00b\x00\n\x00")))
	require.Equal(t, "ab\n", Decode([]byte("\xfe\xff\x00a\x00b\x00\n")))
	require.Equal(t, "hle\n", Decode([]byte("\xb6hle\n")), "a piece may begin within a letter")
}

func TestTheConsoleTellsNothingOfWhatItDoesNotName(t *testing.T) {
	rules := rulebook.Log{Loaded: []string{`^stall (?P<name>\S+) opens`}}
	expected := []Expected{{Addon: "gate", Names: []string{"gate"}}, {Addon: "cart", Names: []string{"cart"}, Unasked: true, Oddities: []string{"creaks"}}}
	roll := Call(expected, Read(rules, "stall gate opens\nstall cart opens\n"), true, nil)
	gate, _ := roll.Entry("gate")
	require.Equal(t, Failed, gate.Standing)
	cart, _ := roll.Entry("cart")
	require.Equal(t, Loaded, cart.Standing)
	require.Equal(t, []string{"creaks"}, cart.Oddities)
}

func TestWhatLoadedAndWasRefusedASecondTimeIsTold(t *testing.T) {
	rules := rulebook.Log{Loaded: []string{`^stall (?P<name>\S+) opens`}, Failed: []string{`^stall (?P<name>\S+) stays shut: (?P<why>.*)$`}}
	roll := Call([]Expected{{Addon: "gate", Names: []string{"gate"}, Listed: true}}, Read(rules, "stall gate opens\nstall gate stays shut: it is called twice\n"), true, []Heard{{Name: "gate", Loaded: true}})
	require.Equal(t, Loaded, roll.Entries[0].Standing)
	require.Equal(t, "the log also says: it is called twice", roll.Entries[0].Why)
	require.Len(t, roll.Entries[0].Lines, 2)
}

// The last line that says anything is told where a server does not become ready.
func TestTheLastLineOfALog(t *testing.T) {
	for text, want := range map[string]string{
		"":                              "",
		"starting\nfatal: no room\n\n":  "fatal: no room",
		"starting\nfatal: half a li":    "starting",
		strings.Repeat("ä", 121) + "\n": strings.Repeat("ä", 120) + "…",
	} {
		require.Equal(t, want, Read(rulebook.Log{}, text).Last)
	}
}

// One line may name several add-ons, in any of several forms, with format codes around the
// names that are no part of them.
func TestEveryNameInALineCounts(t *testing.T) {
	heard := func(all []Heard) map[string]string {
		out := map[string]string{}
		for _, h := range all {
			require.True(t, h.Loaded, h.Name)
			out[h.Name] = h.Version
		}
		return out
	}
	answer := "stalls open: gate 1.0, drum 2.1, Night Market 3\n"
	require.Equal(t, map[string]string{"gate": "1.0", "drum": "2.1", "Night Market": "3"},
		heard(Answer(rulebook.Console{Line: []string{`(?:^stalls open: |, )(?P<name>[^,]+?) (?P<version>[\d.]+)`}}, answer)), "every match of a line")
	listed := rulebook.Console{Line: []string{`^stalls open: (?P<list>.*)$`}, Separator: ",", Item: `^(?P<name>.+) (?P<version>\S+)$`}
	require.Equal(t, map[string]string{"gate": "1.0", "drum": "2.1", "Night Market": "3"}, heard(Answer(listed, answer)), "a list that a separator parts")
	listed.Item = ""
	require.Equal(t, map[string]string{"gate": "", "drum": ""}, heard(Answer(listed, "stalls open: gate , drum, \n")), "items as they stand")
	coloured := rulebook.Console{Line: []string{`^\* (?P<name>\S+)$`, `^and (?P<name>\S+) too$`}, Ignore: []string{`%[0-9a-f]`}}
	require.Equal(t, map[string]string{"gate": "", "drum": ""}, heard(Answer(coloured, "%2* %agate\nand %cdrum%f too\n")), "codes are taken out, and any form will do")

	rules := rulebook.Log{Loaded: []string{`\+(?P<name>\w+)`}, Failed: []string{`-(?P<name>\w+)`, `^(?P<name>\w+) is broken`}, Ready: []string{`^open$`, `^ready$`}, Ignore: []string{`^\[[^\]]*\] `}}
	got := Read(rules, "[07:00] +gate +drum +bell\n[07:01] -lamp -kite\n[07:02] tent is broken\n[07:03] ready\n")
	require.True(t, got.Ready)
	standing := map[string]bool{}
	for _, h := range got.Heard {
		standing[h.Name] = h.Loaded
		require.Len(t, h.Lines, 1, h.Name)
		require.Equal(t, !h.Loaded, h.Failed, h.Name)
	}
	require.Equal(t, map[string]bool{"gate": true, "drum": true, "bell": true, "lamp": false, "kite": false, "tent": false}, standing)
	require.Equal(t, "[07:02] x\n[07:03] ready\n", LastStart(rules, "[07:00] ready\n[07:02] x\n[07:03] ready\n"), "from behind the ready line before")
}

// The server may write a name otherwise than the ledger does; what is then found is not
// called unknown as well, and names are printed as they are written.
func TestANameInAnotherSpellingIsTheSameAddOn(t *testing.T) {
	expected := []Expected{{Addon: "night-market", Names: []string{"night-market", "The Night Market"}}, {Addon: "gate-two", Names: []string{"gate_two"}}, {Addon: "drum", Names: []string{"drum"}}, {Addon: "tunes", Names: []string{"tunes"}, Mute: true}}
	log := Log{Heard: []Heard{{Name: "THE NIGHT-MARKET", Loaded: true}, {Name: "Gate Two", Failed: true, Why: "rain"}, {Name: "Drum", Loaded: true}, {Name: "DRUM", Loaded: true}}}
	roll := Call(expected, log, false, nil)
	var short []string
	for _, e := range roll.Entries {
		short = append(short, e.Addon+" "+string(e.Standing))
	}
	require.Equal(t, []string{"gate-two failed", "drum silent", "DRUM unknown", "Drum unknown", "night-market loaded"}, short, "of two spellings neither is guessed; what says nothing is not called silent")
}
