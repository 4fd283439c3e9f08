package rulebook

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestARuleThatIsWrittenIsReadAgain(t *testing.T) {
	b, err := Parse([]byte(good))
	require.NoError(t, err)
	rules := []Rule{
		{Take: []string{"odd \"one\".bin", "b: {c}"}, Place: "fixtures", As: "{name}/{file}", Because: "you said so"},
		{Take: []string{"*.txt"}, Leave: true, As: "{path}"},
	}
	got, err := ParseRules(b, RuleText(rules[0])+RuleText(rules[1]))
	require.NoError(t, err)
	require.Equal(t, rules, got)
	_, err = ParseRules(b, "- {take: x, place: nowhere}")
	require.ErrorContains(t, err, `there is no place "nowhere"`)
	got, err = ParseRules(b, "")
	require.NoError(t, err)
	require.Empty(t, got)
}
