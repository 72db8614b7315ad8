-- A journal as version 3 wrote it.
create table haul(id integer primary key, made text not null, policy text not null, returns integer references haul(id));
create table lot(id integer primary key, haul integer not null references haul(id), planned text not null,
  stage text not null, proof text, takes_back integer references lot(id), error text);
create table entry(lot integer not null references lot(id), path blob not null, kind text not null, target blob,
  size integer not null, allocated integer not null, modified_s integer not null, modified_ns integer not null,
  inode integer not null, mode integer not null, user integer not null, grp integer not null,
  there_inode integer, there_s integer, there_ns integer, compared integer not null default 0, digest blob,
  hash blob, taken blob, primary key(lot, path)) without rowid;
create table block(lot integer not null references lot(id), path blob not null, nth integer not null,
  hash blob not null, primary key(lot, path, nth)) without rowid;
create table change(lot integer not null references lot(id), nth integer not null, file blob not null,
  before blob, after blob, primary key(lot, nth)) without rowid;
create table event(id integer primary key, at text not null, haul integer not null, lot integer, word text not null, detail text not null);
create table unreadable(lot integer not null references lot(id), path blob not null, start integer not null, end integer not null,
  primary key(lot, path, start)) without rowid;
create index taken on entry(lot) where taken is not null;
insert into haul values(1, '2026-11-20T10:00:00Z', '"hold"', null);
insert into lot values(1, 1, '{"game": "quay/1", "title": "x", "launcher": "quay", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "copy", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"compared","staging":"/b/s"}', null, null, null);
insert into entry values(1, cast('' as blob), 'folder', null, 0, 0, 5, 6, 7, 420, 0, 0, null, null, null, 0, null, null, null);
insert into entry values(1, x'640078', 'file', null, 12, 12, 5, 6, 7, 420, 0, 0, 9, 5, 6, 1, null, x'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa', null);
pragma user_version = 3;
