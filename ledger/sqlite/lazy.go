package sqlite

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
)

// connector makes the connections of work: each statement of one goes to the piece of work
// that its transaction was begun with.
type connector struct{}

func (connector) Connect(context.Context) (driver.Conn, error) { return &connection{}, nil }
func (c connector) Driver() driver.Driver                      { return c }
func (connector) Open(string) (driver.Conn, error)             { return &connection{}, nil }

type pieceKey struct{}

// connection is what one piece of work has in place of a connection to the database.
type connection struct{ piece *piece }

var errNoWork = errors.New("there is no work here")

// BeginTx implements driver.ConnBeginTx. Nothing is begun yet.
func (c *connection) BeginTx(ctx context.Context, _ driver.TxOptions) (driver.Tx, error) {
	c.piece, _ = ctx.Value(pieceKey{}).(*piece)
	if c.piece == nil {
		return nil, errNoWork
	}
	return transaction{c}, nil
}

func (c *connection) Begin() (driver.Tx, error) { return nil, errNoWork }
func (c *connection) Close() error              { return nil }

func (c *connection) Prepare(query string) (driver.Stmt, error) { return &statement{c, query}, nil }

// ExecContext implements driver.ExecerContext.
func (c *connection) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	e, err := c.piece.statement(ctx, query, args, false)
	if err != nil {
		return nil, err
	}
	return result{e}, nil
}

// QueryContext implements driver.QueryerContext.
func (c *connection) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	e, err := c.piece.statement(ctx, query, args, true)
	if err != nil {
		return nil, err
	}
	return &rows{entry: e}, nil
}

// transaction ends with the piece: who has begun it commits it together with the answer.
type transaction struct{ c *connection }

func (t transaction) Commit() error   { return t.end() }
func (t transaction) Rollback() error { return t.end() }

func (t transaction) end() error {
	t.c.piece.abandon()
	t.c.piece = nil
	return nil
}

// statement is prepared where it is run.
type statement struct {
	c     *connection
	query string
}

func (*statement) Close() error                               { return nil }
func (*statement) NumInput() int                              { return -1 }
func (*statement) Exec([]driver.Value) (driver.Result, error) { return nil, errNoWork }
func (*statement) Query([]driver.Value) (driver.Rows, error)  { return nil, errNoWork }

// ExecContext implements driver.StmtExecContext.
func (s *statement) ExecContext(ctx context.Context, args []driver.NamedValue) (driver.Result, error) {
	return s.c.ExecContext(ctx, s.query, args)
}

// QueryContext implements driver.StmtQueryContext.
func (s *statement) QueryContext(ctx context.Context, args []driver.NamedValue) (driver.Rows, error) {
	return s.c.QueryContext(ctx, s.query, args)
}

// result remembers what the work has looked at.
type result struct{ *entry }

func (r result) LastInsertId() (int64, error) {
	r.askedID.Store(true)
	return r.id, nil
}

func (r result) RowsAffected() (int64, error) {
	r.askedCount.Store(true)
	return r.count, nil
}

// rows goes through the rows of a query, which has been read to its end.
type rows struct {
	*entry
	next int
}

func (r *rows) Columns() []string                       { return r.columns }
func (r *rows) ColumnTypeDatabaseTypeName(k int) string { return r.kind[k] }
func (r *rows) Close() error                            { return nil }
func (r *rows) Next(to []driver.Value) error {
	if r.next == len(r.values) {
		return io.EOF
	}
	copy(to, r.values[r.next])
	r.next++
	return nil
}
