// Package postgres keeps submission keys in PostgreSQL, for any number of
// processes.
//
//	pool, err := pgxpool.New(ctx, "postgres://office@localhost/office")
//	if err != nil {
//		return err
//	}
//	store, err := postgres.New(ctx, pool, postgres.Options{})
//	if err != nil {
//		return err
//	}
//	permits, err := formhttp.New(source.Form, source, formhttp.Options{
//		Ledger: store.InTransaction(),
//		Submit: func(ctx context.Context, s formhttp.Submission) (formhttp.Answer, error) {
//			_, err := postgres.Tx(ctx).Exec(ctx, "INSERT INTO permits (body) VALUES ($1)", s.Body)
//			return formhttp.Created(""), err // the permit and the answer commit together
//		},
//	})
package postgres
