-- A journal as version 8 wrote it.
CREATE TABLE haul(id integer primary key, made text not null, policy text not null, returns integer references haul(id));
CREATE TABLE lot(id integer primary key, haul integer not null references haul(id), planned text not null,
  stage text not null, proof text, takes_back integer references lot(id), error text);
CREATE TABLE entry(lot integer not null references lot(id), path blob not null, kind text not null, target blob,
  size integer not null, allocated integer not null, modified_s integer not null, modified_ns integer not null,
  inode integer not null, mode integer not null, user integer not null, grp integer not null,
  there_inode integer, there_s integer, there_ns integer, compared integer not null default 0, digest blob,
  hash blob, taken blob, changed integer, names integer, there_changed integer, attributes blob, unkept text, primary key(lot, path)) without rowid;
CREATE TABLE block(lot integer not null references lot(id), path blob not null, nth integer not null,
  hash blob not null, primary key(lot, path, nth)) without rowid;
CREATE TABLE change(lot integer not null references lot(id), nth integer not null, file blob not null,
  before blob, after blob, primary key(lot, nth)) without rowid;
CREATE TABLE event(id integer primary key, at text not null, haul integer not null, lot integer, word text not null, detail text not null);
CREATE TABLE unreadable(lot integer not null references lot(id), path blob not null, start integer not null, end integer not null,
  primary key(lot, path, start)) without rowid;
CREATE TABLE run(id integer primary key, at text not null, source text not null, target text not null, bytes integer not null,
  files integer not null, seconds real not null);
CREATE TABLE probe(drive text primary key, at text not null, read real not null, write real not null, file real not null) without rowid;
CREATE TABLE trial(haul integer primary key references haul(id), agreed integer not null) without rowid;
CREATE TABLE reached(id integer primary key, lot integer not null references lot(id), at text not null, word text not null);
CREATE TABLE pulse(lot integer not null references lot(id), nth integer not null, ms integer not null, copied integer not null,
  compared integer not null, most integer, unreadable integer not null, repaired integer not null, primary key(lot, nth)) without rowid;
CREATE TABLE forecast(lot integer primary key references lot(id), begins real not null, ends real not null);
CREATE TABLE made(lot integer not null references lot(id), path blob not null, primary key(lot, path)) without rowid;
CREATE TABLE remains(lot integer not null references lot(id), path blob not null, bytes integer not null, why text not null,
  primary key(lot, path)) without rowid;
INSERT INTO "haul" VALUES(1,'2026-11-20T10:00:00Z','"hold"',NULL);
INSERT INTO "haul" VALUES(2,'2026-11-20T11:00:00Z','"release"',NULL);
INSERT INTO "haul" VALUES(3,'2026-11-21T11:00:00Z','"hold"',NULL);
INSERT INTO "lot" VALUES(1,1,'{"game":"quay/1","title":"x","launcher":"quay","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"copy","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"launcher"}','{"stage":"verified","staging":"/b/s"}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(2,2,'{"game":"quay/2","title":"Öland","launcher":"quay","launcher_name":"Quay","processes":[],"from":"/b/y","to":"/a/y","from_drive":null,"to_drive":"a","mode":"copy","size":{"on_disk":77,"apparent":70,"files":0,"folders":0,"links":0,"whole":false},"need":0,"links":"keep","policy":"hold","after":[],"keeps":false,"aside":null,"edits":[],"previews":[],"origin":"launcher"}','{"stage":"released","left":0}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(3,3,'{"game":"quay/3","title":"Three","launcher":"quay","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"import","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"launcher"}','{"stage":"records-updated"}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(4,3,'{"game":"finds//a/x","title":"Four","launcher":"","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"duplicate","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"cleanup"}','{"stage":"updating-records"}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(5,3,'{"game":"finds//a/y","title":"Five","launcher":"","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"quarantine","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"cleanup"}','{"stage":"cancelling","made":null}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(6,3,'{"game":"traced/z","title":"Six","launcher":"traced","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"copy","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"traced"}','{"stage":"cancelled"}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(7,3,'{"game":"data/quay/saves","title":"Seven","launcher":"data","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"rename","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"user-data"}','{"stage":"undone"}',NULL,NULL,NULL);
INSERT INTO "lot" VALUES(8,3,'{"game":"anchor//m","title":"Eight","launcher":"anchor","launcher_name":"Quay","processes":[],"from":"/a/x","to":"/b/x","from_drive":"a","to_drive":"b","mode":"records","size":{"on_disk":0,"apparent":0,"files":0,"folders":0,"links":0,"whole":false},"need":0,"edits":[],"previews":[],"origin":"remap"}','{"stage":"proved","holds":true}',NULL,NULL,NULL);
INSERT INTO "entry" VALUES(1,X'','folder',NULL,0,0,5,6,7,420,0,0,NULL,NULL,NULL,0,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "entry" VALUES(1,X'640078','file',NULL,12,12,5,6,7,420,0,0,9,5,6,1,NULL,X'AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA',NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "change" VALUES(1,0,X'2F6C2F6C6973742E6A736F6E',X'627B22746F6B656E223A202235343137222C20226174223A20222F612F78227D',X'627B22746F6B656E223A202235343137222C20226174223A20222F622F78227D');
INSERT INTO "change" VALUES(2,0,X'2F6C2F6C6973742E6A736F6E',X'701F000000000000002F7C3694D9D1F9717A48E3C52B510FB822EEB3287C21D453105A38DDD93016FF7300000000000000001A00000000000000670500000000000000622F79227D',X'6B1F000000000000001BF5583C7DB84EF7258972402B3A021F33532127BF5C36C037DF063EE40B4323');
INSERT INTO "change" VALUES(2,1,X'2F6C2F6C696E6B',X'6C2F622F79',X'6C2F612F79');
INSERT INTO "event" VALUES(1,'2026-11-20T10:00:00Z',1,NULL,'begun','');
INSERT INTO "event" VALUES(2,'2026-11-20T11:00:00Z',2,NULL,'begun','');
INSERT INTO "event" VALUES(3,'2026-11-20T11:05:00Z',2,2,'proved','Öland');
INSERT INTO "event" VALUES(4,'2026-11-20T11:06:00Z',2,2,'released','Öland');
INSERT INTO "event" VALUES(5,'2026-11-21T11:00:00Z',3,3,'undone','x');
INSERT INTO "event" VALUES(6,'2026-11-21T11:00:00Z',3,3,'cancelled','x');
INSERT INTO "event" VALUES(7,'2026-11-21T11:00:00Z',3,3,'updated-again','x');
INSERT INTO "event" VALUES(8,'2026-11-21T11:00:00Z',3,3,'launched','x');
INSERT INTO "event" VALUES(9,'2026-11-21T11:00:00Z',3,3,'repaired','x');
INSERT INTO "event" VALUES(10,'2026-11-21T11:00:00Z',3,3,'left','x');
INSERT INTO "probe" VALUES('a','2026-11-20T09:00:00Z',200000000.0,100000000.0,0.001);
INSERT INTO "reached" VALUES(1,1,'2026-11-20T11:00:00Z','planned');
INSERT INTO "reached" VALUES(2,3,'2026-11-21T11:00:00Z','verified');
INSERT INTO "reached" VALUES(3,3,'2026-11-21T11:00:00Z','updating-records');
INSERT INTO "reached" VALUES(4,3,'2026-11-21T11:00:00Z','records-updated');
INSERT INTO "reached" VALUES(5,3,'2026-11-21T11:00:00Z','paused');
INSERT INTO "reached" VALUES(6,3,'2026-11-21T11:00:00Z','resumed');
INSERT INTO "reached" VALUES(7,3,'2026-11-21T11:00:00Z','cancelling');
INSERT INTO "reached" VALUES(8,3,'2026-11-21T11:00:00Z','cancelled');
INSERT INTO "reached" VALUES(9,3,'2026-11-21T11:00:00Z','undone');
INSERT INTO "run" VALUES(1,'2026-11-20T10:00:00Z','b','a',77,3,0.5);
INSERT INTO "trial" VALUES(1,0);
CREATE INDEX taken on entry(lot) where taken is not null;
CREATE INDEX reached_by on reached(lot);
CREATE INDEX told_of on event(haul);
CREATE INDEX proved on event(haul, at) where word = 'proved';
CREATE INDEX released on event(lot, at) where word = 'released';
CREATE INDEX taking_back on lot(takes_back) where takes_back is not null;
CREATE INDEX listed on lot(haul, stage, takes_back, json_extract(planned, '$.title'), json_extract(planned, '$.from_drive'),
  json_extract(planned, '$.to_drive'), json_extract(planned, '$.size.on_disk'), json_extract(planned, '$.mode'),
  json_extract(planned, '$.keeps'), json_extract(planned, '$.policy'));
CREATE INDEX of_game on lot(json_extract(planned, '$.game'));
CREATE INDEX live on lot(haul) where json_extract(stage, '$.stage') not in ('released', 'cancelled', 'undone', 'given-up', 'returned')
  and not (json_extract(stage, '$.stage') = 'proved' and json_extract(planned, '$.mode') = 'records');
pragma user_version = 8;
