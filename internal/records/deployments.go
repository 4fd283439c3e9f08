package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/model"
)

// How much of its draft a deployment is read with.
type depth int

const (
	outlined depth = iota // without changes, steps and motions
	stepped               // with its steps
	whole
)

// columns are what a deployment is scanned from, in the order of scan.
func (d depth) columns() string {
	long := [...]string{"'', NULL, NULL, NULL", "CASE WHEN d.draft_steps IS NULL THEN d.draft ELSE '' END, NULL, d.draft_steps, NULL", "d.draft, d.draft_changes, d.draft_steps, d.draft_motions"}
	return `d.id, d.server_id, s.name, d.number, d.kind, d.title, d.state, d.ask, d.digest, d.outline, d.motions, d.accepts, d.actor, d.runner, d.trouble, d.goes_back, d.notes, d.figures, d.aftermath, d.untidy, d.created_at, d.started_at, d.ended_at, d.remark, d.good, d.remarked_by, d.remarked_at, ` + long[d]
}

const deploymentFrom = ` FROM deployment d JOIN server s ON s.id = d.server_id`

func (db *DeploymentStore) scan(r *sql.Rows, d *model.Deployment) error {
	var digest, ask string
	var old []byte
	var long parts
	if err := r.Scan(&d.ID, &d.ServerID, &d.Server, &d.Number, &d.Kind, &d.Title, &d.State, &ask, &digest, asJSON(&d.Draft), &d.Motions, asJSON(&d.Accepts),
		&d.Actor, &d.Runner, &d.Trouble, &d.GoesBack, asJSON(&d.Notes), asJSON(&d.Figures), asJSON(&d.Aftermath), &d.Untidy, moment{&d.CreatedAt}, moment{&d.StartedAt}, moment{&d.EndedAt},
		&d.Remark.Text, &d.Remark.Good, &d.Remark.Actor, moment{&d.Remark.At},
		&old, &long.changes, &long.steps, &long.motions); err != nil {
		return err
	}
	d.Ask = db.openAsk(ask)
	db.openOutline(&d.Draft.Outline)
	if err := d.Digest.UnmarshalText([]byte(digest)); err != nil {
		return err
	}
	if len(old) > 0 { // of a version that kept drafts in one piece
		err := unzip(old, &d.Draft)
		d.Draft.Rebase()
		return err
	}
	return long.unpack(&d.Draft, d.Motions, db.openChange)
}

// outline is a draft without what is long in it.
func (db *DeploymentStore) outline(d draft.Draft) (string, error) {
	o, err := db.sealOutline(d.Outline)
	return text(o), err
}

// AddDeployment records a draft and gives it the server's next number.
func (db *DeploymentStore) AddDeployment(ctx context.Context, d model.Deployment) (model.Deployment, error) {
	var id int64
	long, err := pack(&d.Draft, db.sealChange)
	if err != nil {
		return d, err
	}
	short, err := db.outline(d.Draft)
	if err != nil {
		return d, err
	}
	ask, err := db.sealAsk(d.Ask, d.Delicate)
	if err != nil {
		return d, err
	}
	err = db.within(ctx, func(tx *sql.Tx) error {
		if err := tx.QueryRowContext(ctx, `UPDATE server SET next_number = next_number + 1 WHERE id = ? RETURNING next_number - 1`, d.ServerID).Scan(&d.Number); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO deployment (server_id, number, kind, title, state, ask, digest, draft, outline, motions, accepts, actor, created_at, draft_changes, draft_steps, draft_motions, draft_ahead) VALUES (?,?,?,?,?,?,?,'',?,?,?,?,?,?,?,?,?)`,
			d.ServerID, d.Number, d.Kind, d.Title, model.Draft, ask, d.Digest.String(), short, d.Draft.Motions.Len(), text(d.Accepts), d.Actor, db.millis(),
			long.changes, long.steps, long.motions, long.ahead)
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	if err != nil {
		return d, fmt.Errorf("record the draft: %w", err)
	}
	made := d.Draft
	d, err = db.OutlineByID(ctx, id)
	d.Draft = made // as it was written: reading a long one takes its time
	return d, err
}

// OutlineByID finds a deployment by its id, without the changes, steps and motions
// of its draft.
func (db *DeploymentStore) OutlineByID(ctx context.Context, id int64) (model.Deployment, error) {
	return first(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+` WHERE d.id = ?`, id)
}

// StepsByID is OutlineByID with the draft's steps.
func (db *DeploymentStore) StepsByID(ctx context.Context, id int64) (model.Deployment, error) {
	return first(ctx, db.sql, db.scan, `SELECT `+stepped.columns()+deploymentFrom+` WHERE d.id = ?`, id)
}

// DeploymentByID finds a deployment by its id, whole.
func (db *DeploymentStore) DeploymentByID(ctx context.Context, id int64) (model.Deployment, error) {
	return first(ctx, db.sql, db.scan, `SELECT `+whole.columns()+deploymentFrom+` WHERE d.id = ?`, id)
}

// Ahead gives what a run needs of a deployment's draft before that is made anew.
func (db *DeploymentStore) Ahead(ctx context.Context, deployment int64) (a draft.Ahead, err error) {
	raw, err := first(ctx, db.sql, func(r *sql.Rows, v *[]byte) error { return r.Scan(v) }, `SELECT draft_ahead FROM deployment WHERE id = ?`, deployment)
	if err != nil {
		return a, err
	}
	if len(raw) > 0 {
		return a, unzip(raw, &a)
	}
	d, err := db.DeploymentByID(ctx, deployment) // of a version that did not write it down
	return d.Draft.Ahead(), err
}

// Deployment finds a server's deployment by number, without what is long in its draft.
func (db *DeploymentStore) Deployment(ctx context.Context, server string, number int) (model.Deployment, error) {
	return first(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+` WHERE s.name = ? AND s.dropped_at IS NULL AND d.number = ?`, server, number)
}

// Deployments lists deployments, the newest first, before an id (0: from the
// top), at most limit (all where it is negative). An empty server means all. Their
// drafts come without changes, steps and motions.
func (db *DeploymentStore) Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error) {
	if server == "" {
		return all(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+`
			WHERE s.dropped_at IS NULL AND (? = 0 OR d.id < ?) ORDER BY d.id DESC LIMIT ?`, before, before, limit)
	}
	return all(ctx, db.sql, db.scan, newestOf, server, before, before, limit)
}

// newestOf finds one server's alone; its numbers follow one another as ids do, and an index has them in
// their order.
var newestOf = `SELECT ` + outlined.columns() + deploymentFrom + `
	WHERE d.server_id = (SELECT id FROM server WHERE name = ? AND dropped_at IS NULL) AND (? = 0 OR d.id < ?) ORDER BY d.number DESC LIMIT ?`

// DeploymentsIn lists the deployments in some states, the oldest first, without what is
// long in their drafts.
func (db *DeploymentStore) DeploymentsIn(ctx context.Context, states ...model.State) ([]model.Deployment, error) {
	return all(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+` WHERE d.state IN (`+marks(len(states))+`) ORDER BY d.id`, args(states)...)
}

// Untidy lists done deployments whose set-aside files are still on the server, without
// what is long in their drafts.
func (db *DeploymentStore) Untidy(ctx context.Context, server int64) ([]model.Deployment, error) {
	return all(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+` WHERE d.untidy = 1 AND (? = 0 OR d.server_id = ?) ORDER BY d.id`, server, server)
}

// Advance moves a deployment from one of some states to another. It gives
// [ErrConflict] where the deployment is in none of them, and, for a move that
// takes the server's slot, where another deployment holds it. Any number may be
// queued.
func (db *DeploymentStore) Advance(ctx context.Context, id int64, to model.State, from ...model.State) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		if to.Open() {
			holder, err := slotOf(ctx, tx, id)
			if err != nil {
				return err
			}
			if holder != "" {
				return model.Conflict("%s; one deployment at a time changes a server", holder)
			}
		}
		set := ""
		switch to {
		case model.Queued:
			set = fmt.Sprintf(", started_at = %d", db.millis())
		case model.Done, model.UndoneAll, model.Discarded:
			set = fmt.Sprintf(", ended_at = %d", db.millis())
		}
		err := exactly(tx.ExecContext(ctx, `UPDATE deployment SET state = ?, trouble = ''`+set+` WHERE id = ? AND state IN (`+marks(len(from))+`)`,
			append([]any{to, id}, args(from)...)...))
		if err != nil {
			return fmt.Errorf("the deployment is not %s: %w", orList(from), err)
		}
		if to == model.UndoneAll {
			return packJournal(ctx, tx, id)
		}
		return nil
	})
}

// slotOf names another deployment that holds the slot of a deployment's server,
// with its state; empty where the slot is free.
func slotOf(ctx context.Context, q interface {
	QueryRowContext(context.Context, string, ...any) *sql.Row
}, id int64) (holder string, err error) {
	err = q.QueryRowContext(ctx, `SELECT s.name || '#' || o.number || ' is ' || o.state FROM deployment d JOIN deployment o ON o.server_id = d.server_id AND o.id <> d.id
		JOIN server s ON s.id = d.server_id WHERE d.id = ? AND o.state IN ('running','waiting','halted','undoing') LIMIT 1`, id).Scan(&holder)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return holder, err
}

// SlotOf names another deployment that holds the slot of a deployment's server,
// with its state; empty where the slot is free.
func (db *DeploymentStore) SlotOf(ctx context.Context, id int64) (string, error) {
	return slotOf(ctx, db.sql, id)
}

// Halt marks a deployment as halted, with what halted it.
func (db *DeploymentStore) Halt(ctx context.Context, id int64, trouble string) error {
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET state = ?, trouble = ? WHERE id = ? AND state IN ('queued','running','waiting','undoing','halted')`, model.Halted, trouble, id))
}

// Wait marks a running deployment as one that waits for a person, and for what.
func (db *DeploymentStore) Wait(ctx context.Context, id int64, text string) error {
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET goes_back = (state = 'undoing'), state = ?, trouble = ? WHERE id = ? AND state IN ('running','undoing')`, model.Waiting, text, id))
}

// SaveRun writes what a run adds to its deployment.
func (db *DeploymentStore) SaveRun(ctx context.Context, d model.Deployment) error {
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET accepts = ?, runner = ?, notes = ?, figures = ?, aftermath = ? WHERE id = ?`,
		text(d.Accepts), d.Runner, text(d.Notes), text(d.Figures), text(append([]finding.Finding{}, d.Aftermath...)), d.ID))
}

// SaveDraft writes the draft as it was made again, with the same digest.
func (db *DeploymentStore) SaveDraft(ctx context.Context, d model.Deployment) error {
	long, err := pack(&d.Draft, db.sealChange)
	if err != nil {
		return err
	}
	short, err := db.outline(d.Draft)
	if err != nil {
		return err
	}
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET draft = '', outline = ?, motions = ?, draft_changes = ?, draft_steps = ?, draft_motions = ?, draft_ahead = ? WHERE id = ? AND digest = ?`,
		short, d.Draft.Motions.Len(), long.changes, long.steps, long.motions, long.ahead, d.ID, d.Digest.String()))
}

// SaveOutline is SaveDraft for one whose changes, steps and motions are as they were.
func (db *DeploymentStore) SaveOutline(ctx context.Context, d model.Deployment) error {
	short, err := db.outline(d.Draft)
	if err != nil {
		return err
	}
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET outline = ? WHERE id = ? AND digest = ?`, short, d.ID, d.Digest.String()))
}

// Remark writes what a person says of a deployment, in the place of what was said before. It
// gives [model.ErrConflict] where a deployment is to be called good and is not done.
func (db *DeploymentStore) Remark(ctx context.Context, id int64, r model.Remark) error {
	return exactly(db.sql.ExecContext(ctx, `UPDATE deployment SET remark = ?, good = ?, remarked_by = ?, remarked_at = ? WHERE id = ? AND (state = 'done' OR ? = 0)`,
		r.Text, r.Good, r.Actor, db.millis(), id, r.Good))
}

// LastGood is the newest deployment of a server that is called good, without what is long in
// its draft. It gives [model.ErrNotFound] where there is none.
func (db *DeploymentStore) LastGood(ctx context.Context, server int64) (model.Deployment, error) {
	return first(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+` WHERE d.server_id = ? AND d.good = 1 AND d.state = 'done' ORDER BY d.number DESC LIMIT 1`, server)
}

// SetTidy notes that nothing of a deployment is left on its server. Its changes are in the
// ledger by then, and of its motions no more is of use than those that are given: the
// rest of its draft goes but for the outline and the steps.
func (db *DeploymentStore) SetTidy(ctx context.Context, id int64, motions draft.Motions) error {
	kept := packMotions(motions)
	return db.within(ctx, func(tx *sql.Tx) error {
		if err := exactly(tx.ExecContext(ctx, `UPDATE deployment SET untidy = 0 WHERE id = ?`, id)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE deployment SET draft_changes = NULL, draft_ahead = NULL, draft_motions = ? WHERE id = ? AND draft = '' AND state = 'done'`, kept, id); err != nil {
			return err
		}
		return packJournal(ctx, tx, id)
	})
}

func marks(n int) string { return strings.TrimSuffix(strings.Repeat("?,", n), ",") }

func args[T any](list []T) []any {
	out := make([]any, len(list))
	for i, v := range list {
		out[i] = v
	}
	return out
}

func orList(states []model.State) string {
	words := make([]string, len(states))
	for i, s := range states {
		words[i] = string(s)
	}
	return strings.Join(words, " or ")
}
