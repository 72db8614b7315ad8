-- A journal as version 7 wrote it.
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
create table run(id integer primary key, at text not null, source text not null, target text not null, bytes integer not null,
  files integer not null, seconds real not null);
create table probe(drive text primary key, at text not null, read real not null, write real not null, file real not null) without rowid;
create table trial(haul integer primary key references haul(id), agreed integer not null) without rowid;
insert into haul values(1, '2026-11-20T10:00:00Z', '"hold"', null);
insert into lot values(1, 1, '{"game": "quay/1", "title": "x", "launcher": "quay", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "copy", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"compared","staging":"/b/s"}', null, null, null);
insert into entry values(1, cast('' as blob), 'folder', null, 0, 0, 5, 6, 7, 420, 0, 0, null, null, null, 0, null, null, null);
insert into entry values(1, x'640078', 'file', null, 12, 12, 5, 6, 7, 420, 0, 0, 9, 5, 6, 1, null, x'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa', null);
insert into haul values(2, '2026-11-20T11:00:00Z', '"release"', null);
insert into lot values(2, 2, '{"game": "quay/2", "title": "Öland", "launcher": "quay", "launcher_name": "Quay", "processes": [], "from": "/b/y", "to": "/a/y", "from_drive": null, "to_drive": "a", "mode": "copy", "size": {"on_disk": 77, "apparent": 70, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "links": "keep", "policy": "hold", "after": [], "keeps": false, "aside": null, "edits": [], "previews": []}', '{"stage":"released","left":0}', null, null, null);
insert into event values(1, '2026-11-20T10:00:00Z', 1, null, 'begun', '');
insert into event values(2, '2026-11-20T11:00:00Z', 2, null, 'begun', '');
insert into event values(3, '2026-11-20T11:05:00Z', 2, 2, 'proved', 'Öland');
insert into event values(4, '2026-11-20T11:06:00Z', 2, 2, 'released', 'Öland');
insert into run values(1, '2026-11-20T10:00:00Z', 'b', 'a', 77, 3, 0.5);
insert into probe values('a', '2026-11-20T09:00:00Z', 2e8, 1e8, 0.001);
insert into trial values(1, 0);
create table reached(id integer primary key, lot integer not null references lot(id), at text not null, word text not null);
create index reached_by on reached(lot);
create table pulse(lot integer not null references lot(id), nth integer not null, ms integer not null, copied integer not null,
  compared integer not null, most integer, unreadable integer not null, repaired integer not null, primary key(lot, nth)) without rowid;
create table forecast(lot integer primary key references lot(id), begins real not null, ends real not null);
create index told_of on event(haul);
create index proved on event(haul, at) where word = 'proved';
create index released on event(lot, at) where word = 'released';
create index taking_back on lot(takes_back) where takes_back is not null;
create index listed on lot(haul, stage, takes_back, json_extract(planned, '$.title'), json_extract(planned, '$.from_drive'),
  json_extract(planned, '$.to_drive'), json_extract(planned, '$.size.on_disk'), json_extract(planned, '$.mode'),
  json_extract(planned, '$.keeps'), json_extract(planned, '$.policy'));
create index live on lot(haul) where json_extract(stage, '$.stage') not in ('released', 'given-up', 'returned')
  and not (json_extract(stage, '$.stage') = 'proved' and json_extract(planned, '$.mode') = 'records');
insert into reached(lot, at, word) values(1, '2026-11-20T11:00:00Z', 'planned');
alter table entry add column changed integer;
alter table entry add column names integer;
alter table entry add column there_changed integer;
alter table entry add column attributes blob;
alter table entry add column unkept text;
create table made(lot integer not null references lot(id), path blob not null, primary key(lot, path)) without rowid;
create table remains(lot integer not null references lot(id), path blob not null, bytes integer not null, why text not null,
  primary key(lot, path)) without rowid;
insert into change values(1, 0, cast('/l/list.json' as blob), cast('b{"token": "5417", "at": "/a/x"}' as blob), cast('b{"token": "5417", "at": "/b/x"}' as blob));
insert into change values(2, 0, cast('/l/list.json' as blob), cast('b{"token": "5417", "at": "/b/y"}' as blob), cast('b{"token": "5417", "at": "/a/y"}' as blob));
insert into change values(2, 1, cast('/l/link' as blob), cast('l/b/y' as blob), cast('l/a/y' as blob));

create index of_game on lot(json_extract(planned, '$.game'));
insert into haul values(3, '2026-11-21T11:00:00Z', '"hold"', null);
insert into lot values(3, 3, '{"game": "quay/3", "title": "Three", "launcher": "quay", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "adopt", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"repointed"}', null, null, null);
insert into lot values(4, 3, '{"game": "finds//a/x", "title": "Four", "launcher": "", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "spare", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"repointing"}', null, null, null);
insert into lot values(5, 3, '{"game": "finds//a/y", "title": "Five", "launcher": "", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "set-aside", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"giving-up","made":null}', null, null, null);
insert into lot values(6, 3, '{"game": "traced/z", "title": "Six", "launcher": "traced", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "copy", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"given-up"}', null, null, null);
insert into lot values(7, 3, '{"game": "data/quay/saves", "title": "Seven", "launcher": "data", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "rename", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"returned"}', null, null, null);
insert into lot values(8, 3, '{"game": "anchor//m", "title": "Eight", "launcher": "anchor", "launcher_name": "Quay", "processes": [], "from": "/a/x", "to": "/b/x", "from_drive": "a", "to_drive": "b", "mode": "records", "size": {"on_disk": 0, "apparent": 0, "files": 0, "folders": 0, "links": 0, "whole": false}, "need": 0, "edits": [], "previews": []}', '{"stage":"proved","holds":true}', null, null, null);
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'compared');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'repointing');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'repointed');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'paused');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'resumed');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'giving-up');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'given-up');
insert into reached(lot, at, word) values(3, '2026-11-21T11:00:00Z', 'returned');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'returned', 'x');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'given up', 'x');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'led again', 'x');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'tried', 'x');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'mended', 'x');
insert into event(at, haul, lot, word, detail) values('2026-11-21T11:00:00Z', 3, 3, 'left', 'x');
pragma user_version = 7;
