// Package office is the harbour office of Saltmarsh Quay as a small real
// application: a registry, a berth check and a permit office over one SQLite
// file, with every form of the demo as a page and as JSON, and a panel that turns
// delays, refusals, lost replies, outages and expired sign-ins on.
//
//	o, err := office.Open("office.db", office.Options{})
//	if err != nil {
//		return err
//	}
//	defer o.Close()
//	http.ListenAndServe("127.0.0.1:8717", o)
package office
