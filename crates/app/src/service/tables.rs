//! What there is as tables: drives, libraries, games, user data, records, finds, plans, proofs and the log. Format:
//! `docs/formats.md`, "Exports".

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::PlannedItem;
use deft_barge_core::journal::{HaulRow, History, ItemRow};
use deft_barge_core::plan::Plan;
use deft_barge_core::survey::CleanupFind;
use deft_barge_core::survey::{Game, Survey};
use serde_json::{Value, json};

use crate::present::{Fault, Kind, json_text, visible, words};

/// A table: the names of its columns, and its rows.
#[derive(Debug)]
pub struct Table {
    /// What its rows are.
    pub kind: &'static str,
    columns: Vec<&'static str>,
    /// A value for each column.
    pub rows: Vec<Vec<Value>>,
}

/// A text as a cell that a spreadsheet takes for text, and not for a formula: with an apostrophe before it where it begins as one does
/// (OWASP, "CSV injection"), and with what nobody would see made visible.
fn plain_cell(text: &str) -> String {
    let seen = visible(text);
    if text.starts_with(['=', '+', '-', '@', '\t', '\r', '\n']) { format!("'{seen}") } else { seen }
}

/// A column: its name, and what it says of a row.
type Column<'a, T> = (&'static str, &'a dyn Fn(&T) -> Value);

impl Table {
    fn of<T>(kind: &'static str, rows: impl IntoIterator<Item = T>, columns: &[Column<'_, T>]) -> Self {
        let row = |row: T| columns.iter().map(|(_, value)| value(&row)).collect();
        Self {
            kind,
            columns: columns.iter().map(|(name, _)| *name).collect(),
            rows: rows.into_iter().map(row).collect(),
        }
    }

    /// Comma-separated values as RFC 4180 has them.
    pub(crate) fn csv(&self) -> Result<Vec<u8>, Fault> {
        let failed = |error: csv::Error| Fault::new(Kind::Failed, format!("Couldn't write the table: {error}."), "");
        let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
        writer.write_record(&self.columns).map_err(failed)?;
        for row in &self.rows {
            let cells = row.iter().map(|value| match value {
                Value::Null => String::new(),
                Value::String(text) => plain_cell(text),
                other => other.to_string(),
            });
            writer.write_record(cells).map_err(failed)?;
        }
        writer.into_inner().map_err(|error| Fault::new(Kind::Failed, format!("Couldn't write the table: {error}."), ""))
    }

    /// A document with a list of rows.
    pub(crate) fn json(&self) -> Vec<u8> {
        let rows: Vec<Value> = self
            .rows
            .iter()
            .map(|row| {
                let fields = self.columns.iter().zip(row).map(|(name, value)| ((*name).to_string(), value.clone()));
                Value::Object(fields.collect())
            })
            .collect();
        let mut text = json_text(&json!({ "format": 3, "kind": self.kind, "rows": rows }));
        text.push('\n');
        text.into_bytes()
    }
}

fn path(path: &std::path::Path) -> Value {
    json!(path.to_string_lossy())
}

fn count(bytes: Bytes) -> Value {
    json!(bytes.count())
}

/// All drives.
pub fn drives(survey: &Survey) -> Table {
    Table::of(
        "drives",
        &survey.drives,
        &[
            ("name", &|state| json!(state.drive.name)),
            ("root", &|state| path(&state.drive.root)),
            ("kind", &|state| json!(words::drive_kind(state.drive.kind))),
            ("file_system", &|state| json!(state.drive.file_system)),
            ("capacity", &|state| count(state.drive.capacity)),
            ("used", &|state| count(state.used)),
            ("free", &|state| count(state.free)),
            ("reserve", &|state| count(state.drive.reserve)),
            ("games", &|state| count(state.games)),
            ("kept", &|state| count(state.held)),
            ("read_only", &|state| json!(state.drive.read_only)),
        ],
    )
}

/// List the libraries of all launchers.
pub fn libraries(survey: &Survey) -> Table {
    let all = survey.launchers.iter().flat_map(|own| own.libraries.iter().map(move |library| (own, library)));
    Table::of(
        "libraries",
        all,
        &[
            ("launcher", &|(launcher, _)| json!(launcher.name)),
            ("path", &|(_, library)| path(&library.path)),
            ("drive", &|(_, library)| json!(library.drive)),
            ("takes_new_installs", &|(_, library)| json!(library.default)),
            ("present", &|(_, library)| json!(library.present)),
            ("games", &|(_, library)| json!(library.games)),
            ("on_disk", &|(_, library)| count(library.bytes)),
        ],
    )
}

/// All games.
pub fn games(survey: &Survey) -> Table {
    let launcher = |game: &&Game| json!(survey.launcher(&game.launcher).map(|launcher| launcher.name.clone()));
    Table::of(
        "games",
        &survey.games,
        &[
            ("id", &|game| json!(game.id)),
            ("title", &|game| json!(game.found.title)),
            ("launcher", &launcher),
            ("drive", &|game| json!(game.drive)),
            ("install", &|game| path(&game.found.install)),
            ("on_disk", &|game| count(game.size.on_disk)),
            ("apparent", &|game| count(game.size.apparent)),
            ("files", &|game| json!(game.size.files)),
            ("reported", &|game| json!(game.found.claim.map(Bytes::count))),
            ("last_run", &|game| json!(game.found.last_run)),
            ("update_waits", &|game| json!(game.update().is_some())),
            ("locked", &|game| json!(game.found.sealed)),
            ("fault", &|game| json!(game.fault().map(words::place_fault))),
        ],
    )
}

/// List the user data of all games.
pub fn data(survey: &Survey) -> Table {
    Table::of(
        "data",
        &survey.user_data,
        &[
            ("id", &|data| json!(data.id)),
            ("game", &|data| json!(data.game)),
            ("title", &|data| json!(data.title)),
            ("kind", &|data| json!(words::data_kind(data.kind))),
            ("path", &|data| path(&data.path)),
            ("place", &|data| path(&data.place)),
            ("drive", &|data| json!(data.drive)),
            ("on_disk", &|data| count(data.size.on_disk)),
            ("files", &|data| json!(data.size.files)),
            ("known_by", &|data| json!(data.source)),
            ("fault", &|data| json!(data.fault.as_ref().map(words::place_fault))),
        ],
    )
}

/// Every record of every game.
pub fn records(survey: &Survey) -> Table {
    let all = survey.games.iter().flat_map(|game| game.found.records.iter().map(move |record| (game, record)));
    Table::of(
        "records",
        all,
        &[
            ("game", &|(game, _)| json!(game.id)),
            ("title", &|(game, _)| json!(game.found.title)),
            ("file", &|(_, record)| path(&record.file)),
            ("location", &|(_, record)| json!(record.location)),
            ("text", &|(_, record)| json!(record.text)),
            ("spelling", &|(_, record)| json!(record.spelling)),
            ("sound", &|(_, record)| json!(record.sound)),
        ],
    )
}

/// List what is lying around.
pub fn finds(find: &[CleanupFind]) -> Table {
    Table::of(
        "cleanup",
        find,
        &[
            ("path", &|find| path(&find.path)),
            ("drive", &|find| json!(find.drive)),
            ("kind", &|find| json!(words::lying_word(&find.what))),
            ("on_disk", &|find| count(find.size.on_disk)),
            ("files", &|find| json!(find.size.files)),
            ("what", &|find| json!(words::find(&find.what))),
        ],
    )
}

/// The items of a plan.
pub fn items(plan: &Plan) -> Table {
    let seconds = |n: usize, of: &dyn Fn(&deft_barge_core::plan::ItemTime) -> std::time::Duration| {
        json!(plan.timing.items.get(n).map(|time| of(time).as_secs_f64()))
    };
    let all: Vec<(usize, &PlannedItem)> = plan.items.iter().enumerate().collect();
    Table::of(
        "plan",
        all,
        &[
            ("nth", &|(n, _)| json!(n + 1)),
            ("title", &|(_, item)| json!(item.title)),
            ("launcher", &|(_, item)| json!(item.launcher_name)),
            ("from_drive", &|(_, item)| json!(item.from_drive)),
            ("to_drive", &|(_, item)| json!(item.to_drive)),
            ("from", &|(_, item)| path(item.source())),
            ("to", &|(_, item)| path(&item.to)),
            ("on_disk", &|(_, item)| count(item.size.on_disk)),
            ("files", &|(_, item)| json!(item.size.files)),
            ("changes", &|(_, item)| json!(item.previews.len())),
            ("seconds_at_least", &|(n, _)| seconds(*n, &|time| time.span.low)),
            ("seconds_at_most", &|(n, _)| seconds(*n, &|time| time.span.high)),
        ],
    )
}

fn all_items(history: &History) -> impl Iterator<Item = (&HaulRow, &ItemRow)> {
    history.hauls.iter().flat_map(|haul| haul.items.iter().map(move |item| (haul, item)))
}

/// The proofs of all items of a history.
pub fn proofs(history: &History) -> Table {
    let all = all_items(history).filter_map(|(haul, item)| Some((haul, item, item.proof.as_ref()?)));
    Table::of(
        "proofs",
        all,
        &[
            ("haul", &|(haul, ..)| json!(haul.id)),
            ("title", &|(_, item, _)| json!(item.planned.title)),
            ("install", &|(.., proof)| path(&proof.install)),
            ("holds", &|(.., proof)| json!(proof.holds())),
            ("files", &|(.., proof)| json!(proof.files)),
            ("bytes", &|(.., proof)| count(proof.bytes)),
            ("differ", &|(.., proof)| json!(proof.differ)),
            ("missing", &|(.., proof)| json!(proof.missing)),
            ("extra", &|(.., proof)| json!(proof.extra)),
            ("to_download", &|(.., proof)| json!(proof.to_download.map(Bytes::count))),
            ("every_byte_read", &|(.., proof)| json!(proof.read)),
            ("records_lead_here", &|(.., proof)| json!(proof.records_lead_here)),
            ("still_pointing", &|(.., proof)| json!(proof.residue.as_ref().map(|residue| residue.places))),
        ],
    )
}

/// All items of all hauls of a history.
pub fn log(history: &History) -> Table {
    Table::of(
        "log",
        all_items(history),
        &[
            ("haul", &|(haul, _)| json!(haul.id)),
            ("made", &|(haul, _)| json!(haul.made)),
            ("returns", &|(haul, _)| json!(haul.returns)),
            ("title", &|(_, item)| json!(item.planned.title)),
            ("from_drive", &|(_, item)| json!(item.planned.from_drive)),
            ("to_drive", &|(_, item)| json!(item.planned.to_drive)),
            ("from", &|(_, item)| path(item.planned.origin())),
            ("to", &|(_, item)| path(item.planned.place())),
            ("on_disk", &|(_, item)| count(item.planned.size.on_disk)),
            ("files", &|(_, item)| json!(item.planned.size.files)),
            ("stage", &|(_, item)| json!(item.stage.kind())),
            ("keeps_originals", &|(_, item)| json!(item.holds_originals())),
            ("error", &|(_, item)| json!(item.error)),
        ],
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_text_to_a_spreadsheet_and_show_what_they_hold() {
        let cells = ["=1+1", "@sum", "-2", "+3", "\tx", "a,b", "say \"so\"", "ab\u{202e}c\u{200b}d"];
        let rows = cells.iter().map(|cell| vec![Value::from(*cell), Value::from(-2)]).collect();
        let table = Table { kind: "games", columns: vec!["title", "count"], rows };
        let csv = String::from_utf8(table.csv().expect("a table")).expect("text");
        let wanted = [
            "title,count",
            "'=1+1,-2",
            "'@sum,-2",
            "'-2,-2",
            "'+3,-2",
            "'\u{2409}x,-2",
            "\"a,b\",-2",
            "\"say \"\"so\"\"\",-2",
            "ab\u{fffd}c\u{fffd}d,-2",
        ];
        assert_eq!(csv.trim_end().split("\r\n").collect::<Vec<_>>(), wanted);
        let json = json_text(&json!({ "a": "ab\u{202e}c" }));
        assert!(json.contains("ab\\u202ec"), "{json}");
        assert_eq!(serde_json::from_str::<Value>(&json).expect("JSON"), json!({ "a": "ab\u{202e}c" }));
    }
}
