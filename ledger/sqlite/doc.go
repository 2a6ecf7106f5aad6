// Package sqlite keeps submission keys in an SQLite file: no server, no cgo, and
// many programs may share the file.
//
//	store, err := sqlite.Open("office.db", sqlite.Options{})
//	if err != nil {
//		return err
//	}
//	defer store.Close()
//	permits, err := formhttp.New(source.Form, source, formhttp.Options{
//		Ledger: store.InTransaction(),
//		Submit: func(ctx context.Context, s formhttp.Submission) (formhttp.Answer, error) {
//			tx, err := sqlite.Tx(ctx)
//			if err != nil {
//				return formhttp.Answer{}, err
//			}
//			_, err = tx.ExecContext(ctx, "INSERT INTO permits (body) VALUES (?)", s.Body)
//			return formhttp.Created(""), err // the permit and the answer commit together
//		},
//	})
package sqlite
