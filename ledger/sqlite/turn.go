package sqlite

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"reflect"
	"sync/atomic"
	"time"

	"leanwicket.dev/ledger"
)

// A piece of work does not hold the writer while it computes or waits. Its statements take a
// turn in the next commit. A turn that idles is taken back, and the next statement takes a new
// one, which repeats what was done before: the work goes on only where it has seen the same.
const (
	idleAmong  = 2 * time.Millisecond   // where others have done their part of the same commit
	idleBefore = 20 * time.Millisecond  // where others wait for the next commit
	idleAlone  = 100 * time.Millisecond // where nobody waits but other programs
	young      = 250 * time.Millisecond // work that has not taken longer is done again where it would have seen something else
)

var (
	errIdle = errors.New("the turn has idled")
	// errMoved is given to work that would have seen something else.
	errMoved = fmt.Errorf("%w: others have changed what the work has read or the numbers of its rows; right would be slow things before the first statement, or ids of one's own", ledger.ErrBusy)
)

// piece is one run of a work.
type piece struct {
	store    *Store
	patience time.Duration // for a turn
	log      []*entry
	turn     *turn // nil means that there is none
	failed   error // why it cannot go on
}

// entry is a statement and what came of it.
type entry struct {
	query   string
	args    []any
	isQuery bool
	outcome
	askedID, askedCount atomic.Bool // the work has looked at them
}

type outcome struct {
	failed        string
	id, count     int64
	columns, kind []string
	values        [][]driver.Value
	err           error
}

// turn is the time of a piece of work in a commit.
type turn struct {
	*write
	steps     chan func(context.Context, *sql.Tx) (done bool, err error)
	abandoned chan struct{}
	repeated  bool // the statements before have been repeated
}

// serve does the steps that come, until the last one, or until none comes.
func (t *turn) serve(s *Store) func(context.Context, *sql.Tx) error {
	return func(ctx context.Context, tx *sql.Tx) error {
		idle := time.NewTimer(idleAmong)
		defer idle.Stop()
		for since := time.Now(); ; {
			select {
			case step := <-t.steps:
				if done, err := step(ctx, tx); done {
					return err
				}
				since = time.Now()
				idle.Reset(idleAmong)
			case <-idle.C:
				switch waited := time.Since(since); {
				case t.among || waited >= idleAlone || waited >= idleBefore && len(s.writes) > 0:
					return errIdle
				default:
					idle.Reset(idleBefore / 4)
				}
			case <-t.abandoned:
				return errIdle
			}
		}
	}
}

// do does a step on the turn, or on a new one.
func (p *piece) do(ctx context.Context, last bool, step func(context.Context, *sql.Tx) error) error {
	if p.failed != nil {
		return p.failed
	}
	late := time.NewTimer(p.patience)
	defer late.Stop()
	for {
		if p.turn == nil {
			t := &turn{steps: make(chan func(context.Context, *sql.Tx) (bool, error)), abandoned: make(chan struct{})}
			t.write = newWrite(ctx, t.serve(p.store))
			if err := p.store.enqueue(ctx, t.write, late.C); err != nil {
				return p.fail(err)
			}
			p.turn = t
		}
		t, result := p.turn, make(chan error, 1)
		select {
		case t.steps <- func(ctx context.Context, tx *sql.Tx) (bool, error) {
			err := p.repeat(ctx, tx, t)
			if err == nil {
				err = step(ctx, tx)
			}
			result <- err
			return last || errors.Is(err, errMoved), err
		}:
			err := <-result
			if last || errors.Is(err, errMoved) {
				p.turn = nil
				if committed := <-t.done; err == nil {
					err = committed
				}
			}
			if errors.Is(err, errMoved) {
				return p.fail(err)
			}
			return err
		case err := <-t.done: // it has idled, or did not begin
			p.turn = nil
			if !errors.Is(err, errIdle) {
				return p.fail(err)
			}
		case <-ctx.Done():
			p.abandon()
			return ctx.Err()
		case <-late.C:
			p.abandon()
			return p.fail(fmt.Errorf("%w: others write", ledger.ErrBusy))
		case <-p.store.finished:
			p.abandon()
			return p.fail(errClosed)
		}
	}
}

// fail ends the work: what it does from now on fails too.
func (p *piece) fail(err error) error {
	p.failed = err
	return err
}

// abandon takes back what the turn has done.
func (p *piece) abandon() {
	if t := p.turn; t != nil {
		p.turn = nil
		close(t.abandoned)
		t.taken.CompareAndSwap(false, true) // if it has not begun, it never does
		if t.repeated {                     // else it has done nothing, and nobody waits for it
			<-t.done
		}
	}
}

// repeat does the statements of earlier turns again.
func (p *piece) repeat(ctx context.Context, tx *sql.Tx, t *turn) error {
	if t.repeated {
		return nil
	}
	t.repeated = true
	for _, e := range p.log {
		if !e.saw(e.run(ctx, tx)) {
			return errMoved
		}
	}
	return nil
}

// statement does a statement, and remembers what came of it.
func (p *piece) statement(ctx context.Context, query string, args []driver.NamedValue, isQuery bool) (*entry, error) {
	e := &entry{query: query, isQuery: isQuery}
	for _, a := range args {
		if a.Name != "" {
			e.args = append(e.args, sql.Named(a.Name, a.Value))
		} else {
			e.args = append(e.args, a.Value)
		}
	}
	if err := p.do(ctx, false, func(ctx context.Context, tx *sql.Tx) error {
		e.outcome = e.run(ctx, tx)
		p.log = append(p.log, e)
		return nil
	}); err != nil {
		return nil, err
	}
	return e, e.err
}

func (e *entry) run(ctx context.Context, tx *sql.Tx) (o outcome) {
	defer func() {
		if o.err != nil {
			o.failed = o.err.Error()
		}
	}()
	if !e.isQuery {
		result, err := tx.ExecContext(ctx, e.query, e.args...)
		if o.err = err; err == nil {
			o.id, _ = result.LastInsertId()
			o.count, _ = result.RowsAffected()
		}
		return o
	}
	rows, err := tx.QueryContext(ctx, e.query, e.args...)
	if err != nil {
		return outcome{err: err}
	}
	defer func() { o.err = errors.Join(o.err, rows.Close()) }()
	types, err := rows.ColumnTypes()
	if err != nil {
		return outcome{err: err}
	}
	for _, t := range types {
		o.columns, o.kind = append(o.columns, t.Name()), append(o.kind, t.DatabaseTypeName())
	}
	for rows.Next() {
		values := make([]any, len(o.columns))
		to := make([]any, len(values))
		for k := range values {
			to[k] = &values[k]
		}
		if err := rows.Scan(to...); err != nil {
			return outcome{err: err}
		}
		row := make([]driver.Value, len(values))
		for k, v := range values {
			row[k] = v
		}
		o.values = append(o.values, row)
	}
	o.err = rows.Err()
	return o
}

// saw reports whether the work would have seen the same.
func (e *entry) saw(now outcome) bool {
	return e.failed == now.failed && reflect.DeepEqual(e.columns, now.columns) && reflect.DeepEqual(e.values, now.values) &&
		(!e.askedID.Load() || e.id == now.id) && (!e.askedCount.Load() || e.count == now.count)
}
