CREATE TABLE IF NOT EXISTS vessels (name TEXT PRIMARY KEY, owner TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS berths (id TEXT PRIMARY KEY, longest REAL NOT NULL);
CREATE TABLE IF NOT EXISTS permits (
	number INTEGER PRIMARY KEY AUTOINCREMENT, account TEXT NOT NULL, button TEXT NOT NULL, key TEXT NOT NULL,
	vessel TEXT NOT NULL, length REAL NOT NULL, arrival TEXT NOT NULL, departure TEXT NOT NULL,
	berth TEXT NOT NULL, -- empty: none yet
	body TEXT NOT NULL
);
CREATE INDEX IF NOT EXISTS permits_berth ON permits (berth, arrival);
CREATE TABLE IF NOT EXISTS bookings (
	number INTEGER PRIMARY KEY AUTOINCREMENT, account TEXT NOT NULL, form TEXT NOT NULL, key TEXT NOT NULL,
	slot TEXT NOT NULL, -- of a pilot; empty: none
	body TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS records (
	account TEXT NOT NULL, path TEXT NOT NULL, version INTEGER NOT NULL, body TEXT NOT NULL,
	PRIMARY KEY (account, path)
);
INSERT OR IGNORE INTO vessels VALUES ('Egret', 'Ada Fenwick'), ('Heron', 'Ben Marsh'), ('Grey Heron', 'Cleo Reed'), ('Tern', 'Dov Sallow'), ('Avocet', 'Esme Tarn');
INSERT OR IGNORE INTO berths VALUES ('A1', 8), ('A2', 8), ('A3', 12), ('A4', 12), ('B1', 12), ('B2', 16), ('B3', 16), ('C1', 24), ('C2', 24);
