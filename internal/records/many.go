package records

import (
	"context"
	"database/sql"
	"strings"
)

// together is how many rows one statement inserts: the cost of a statement is
// then small beside that of its rows.
const together = 100

// keeps leaves a row as it is where its key is there already.
const keeps = "DO NOTHING"

// insertMany inserts n rows into a table, given with its columns. conflict is
// what becomes of a row whose key is there already. fill writes the values of
// row i.
func insertMany(ctx context.Context, tx *sql.Tx, table, conflict string, columns, n int, fill func(i int, row []any)) error {
	one := "(?" + strings.Repeat(",?", columns-1) + ")"
	statement := func(rows int) string {
		return "INSERT INTO " + table + " VALUES " + one + strings.Repeat(","+one, rows-1) + " ON CONFLICT " + conflict
	}
	values := make([]any, together*columns)
	full, err := tx.PrepareContext(ctx, statement(together))
	if err != nil {
		return err
	}
	defer full.Close()
	for from := 0; from < n; from += together {
		rows := min(together, n-from)
		for i := range rows {
			fill(from+i, values[i*columns:(i+1)*columns])
		}
		if rows == together {
			_, err = full.ExecContext(ctx, values...)
		} else {
			_, err = tx.ExecContext(ctx, statement(rows), values[:rows*columns]...)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
