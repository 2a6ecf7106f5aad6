// Package entry runs sessions in a browser. It is the core's side of a page: a
// script (browser/script) listens to the controls and makes what is told
// here visible; each event crosses the border between the two once, and brings
// back as one text all that changed.
//
// What a browser loads is made of this package by tools/compile. The standard compiler
// builds the same source (browser/entry/leanwicket), and [Call] is the same door for a
// program of any other kind.
package entry
