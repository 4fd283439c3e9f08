package fit

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
)

func game(r string) layout.Fact { return layout.Fact{Kind: rulebook.Game, Range: r, From: "cave.toml"} }

func loader(name, r string) layout.Fact {
	return layout.Fact{Kind: rulebook.Loader, Name: name, Range: r, From: "cave.toml"}
}

func side(s string) layout.Fact {
	return layout.Fact{Kind: rulebook.Side, Name: s, From: "cave.toml"}
}

func TestHowACrateFitsAServer(t *testing.T) {
	all := map[string]string{Game: "7.2", Loader: "rope", LoaderVersion: "4.1"}
	for _, c := range []struct {
		name   string
		told   []layout.Fact
		server map[string]string
		state  State
		why    string
	}{
		{"nothing is told", nil, all, Unknown, "it does not tell what it is for"},
		{"only that it is for servers", []layout.Fact{side("server")}, all, Unknown, "it does not tell what it is for"},
		{"in the range", []layout.Fact{game(">=7 <8")}, all, Fits, ""},
		{"in one of two", []layout.Fact{game("6.x"), game("7.x")}, all, Fits, ""},
		{"outside", []layout.Fact{game(">=7.3")}, all, Outside, "it says that it is for game version >=7.3, and the server runs 7.2"},
		{"the game is not known", []layout.Fact{game(">=7")}, nil, Unknown, "it is for game version >=7, and which one the server runs is not known"},
		{"a range that cannot be read", []layout.Fact{game(">>x")}, all, Unknown, "it does not tell what it is for"},
		{"the loader", []layout.Fact{loader("Rope", "")}, all, Fits, ""},
		{"one of two loaders", []layout.Fact{loader("winch", ""), loader("rope", "^4")}, all, Fits, ""},
		{"another loader", []layout.Fact{loader("winch", "")}, all, OtherLoader, "it is for winch, and the loader of the server is rope"},
		{"another loader, in the range", []layout.Fact{game("7.2"), loader("winch", ">=2")}, all, OtherLoader, "it is for winch >=2, and the loader of the server is rope"},
		{"an older loader", []layout.Fact{loader("rope", ">=5")}, all, Outside, "it asks for rope >=5, and the server has rope 4.1"},
		{"a loader whose version is not known", []layout.Fact{game("7.2"), loader("rope", ">=5")}, map[string]string{Game: "7.2", Loader: "rope"}, Unknown, "it asks for rope >=5, and which version of it the server has is not known"},
		{"the loader is not known", []layout.Fact{loader("rope", "")}, map[string]string{Game: "7.2"}, Unknown, "it is for rope, and which loader the server has is not known"},
		{"for players", []layout.Fact{game("7.2"), side("client")}, all, PlayersOnly, "it is for players, not for servers (cave.toml says: client)"},
		{"for players, of another loader", []layout.Fact{loader("winch", ""), side("players")}, all, PlayersOnly, "it is for players, not for servers (cave.toml says: players); it is for winch, and the loader of the server is rope"},
		{"for both", []layout.Fact{game("7.2"), side("client, server")}, all, Fits, ""},
		{"for players and elsewhere for both", []layout.Fact{side("client"), side("both"), game("7.2")}, all, Fits, ""},
	} {
		v := Judge(c.told, c.server)
		require.Equal(t, c.state, v.State, c.name)
		require.Equal(t, c.why, v.String(), c.name)
	}
}

// What is told in addition never makes a bad crate good, and what is bad is always said why.
func TestMoreThatIsToldNeverMakesABadCrateFit(t *testing.T) {
	facts := []layout.Fact{game("7.2"), game(">=8"), loader("rope", ""), loader("winch", ""), loader("rope", ">=9"), side("client"), side("both")}
	rapid.Check(t, func(t *rapid.T) {
		told := rapid.SliceOfN(rapid.SampledFrom(facts), 0, 4).Draw(t, "told")
		server := map[string]string{}
		for name, values := range map[string][]string{Game: {"", "7.2", "9"}, Loader: {"", "rope", "winch"}, LoaderVersion: {"", "4", "9"}} {
			server[name] = rapid.SampledFrom(values).Draw(t, name)
		}
		v := Judge(told, server)
		require.Equal(t, v.State == Fits, len(v.Why) == 0, "%v", v)
		if v.State == Fits {
			require.NotEmpty(t, told)
			require.False(t, Judge(append(told, side("server")), server).State.Bad())
		}
		if v.State == OtherLoader {
			require.True(t, Judge(append(told, game("7.2")), server).State.Bad())
		}
	})
}
