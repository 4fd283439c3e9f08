// Command survey-bundle unpacks and packs the survey bundles of the made-up
// game Mossgrave: a helper program, as a rulebook names one.
package main

import (
	"fmt"
	"os"

	"restlesscrate/internal/standin/bundle"
)

func main() {
	var err error
	switch args := os.Args[1:]; {
	case len(args) == 3 && args[0] == "unpack":
		err = bundle.Unpack(args[1], args[2])
	case len(args) == 3 && args[0] == "pack":
		err = bundle.Pack(args[1], args[2])
	default:
		err = fmt.Errorf("survey-bundle unpack FILE FOLDER, or survey-bundle pack FOLDER FILE")
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
