// Prints the service's OpenAPI document; make types keeps docs/openapi.json
// and the console's types in step with it.
package main

import (
	"fmt"
	"os"

	"restlesscrate/internal/httpapi"
)

func main() {
	doc, err := httpapi.Document("v1")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	fmt.Printf("%s\n", doc)
}
