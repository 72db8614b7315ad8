//! How edits look before they are made.

use crate::record::Registering;
use std::path::Path;

use crate::item::{Preview, PreviewKind};
use crate::record::{Edit, EditRehearsal, Rewrite, Shape};

/// What changes for somebody who saw `first` made and now sees `then` made instead: what `first` has brought is what leaves.
pub(crate) fn joined_previews(first: &[Preview], then: Vec<Preview>) -> Vec<Preview> {
    let same = |one: &Preview, other: &Preview| one.kind == other.kind && one.location == other.location;
    let join = |mut preview: Preview| {
        let known = first.iter().find(|known| {
            same(known, &preview) && (known.before == preview.before || preview.kind == PreviewKind::Leaves)
        });
        match (known, preview.kind) {
            (Some(known), PreviewKind::Replaced) => preview.before.clone_from(&known.after),
            (Some(_), PreviewKind::Leaves) => {
                let brought = first.iter().find(|known| known.kind == PreviewKind::Arrives);
                if let Some(brought) = brought {
                    preview = Preview {
                        kind: PreviewKind::Leaves,
                        before: brought.after.clone(),
                        after: String::new(),
                        ..brought.clone()
                    };
                }
            }
            _ => {}
        }
        preview
    };
    then.into_iter()
        .map(join)
        .filter(|preview| preview.kind != PreviewKind::Replaced || preview.before != preview.after)
        .collect()
}

/// Shows edits as they would be made now. What cannot be read is shown without its text; a finding says why.
pub(crate) fn previews(edits: &[Edit]) -> Vec<Preview> {
    previews_in(&mut EditRehearsal::default(), edits)
}

/// The same for one item of many: lists are read once.
pub(crate) fn previews_in(trial: &mut EditRehearsal, edits: &[Edit]) -> Vec<Preview> {
    edits.iter().flat_map(|edit| of_edit(trial, edit)).collect()
}

fn preview(file: &Path, kind: PreviewKind, location: &str, before: &str, after: &str) -> Preview {
    Preview { file: file.into(), location: location.into(), kind, before: before.into(), after: after.into() }
}

fn of_rewrite(file: &Path, rewrite: &Rewrite) -> Preview {
    preview(file, PreviewKind::Replaced, &shown_location(rewrite), &rewrite.old, &rewrite.new)
}

fn of_edit(trial: &mut EditRehearsal, edit: &Edit) -> Vec<Preview> {
    let shown = |target: Option<&Path>| target.map(|target| target.display().to_string()).unwrap_or_default();
    let by = |list: &str, id_at: Option<&str>, id: &str| format!("{list} {} = {id}", id_at.unwrap_or("key"));
    match edit {
        Edit::Replace { file, rewrite, .. } => vec![of_rewrite(file, rewrite)],
        Edit::Travel { from, to, list, id_at, id, rewrites, .. } => {
            let before = trial.entry_text(edit).unwrap_or_default();
            let after = rewrites.iter().fold(before.clone(), |text, rewrite| {
                let [old, new] = [&rewrite.old, &rewrite.new].map(|t| serde_json::Value::from(t.as_str()).to_string());
                text.replacen(&old, &new, 1)
            });
            let location = by(list, id_at.as_deref(), id);
            vec![
                preview(to, PreviewKind::Arrives, &location, "", &after),
                preview(from, PreviewKind::Leaves, &location, &before, ""),
            ]
        }
        Edit::Relocate { from, to, rewrites, .. } => {
            let changed = rewrites.iter().map(|rewrite| of_rewrite(from, rewrite));
            let moved = [(to, PreviewKind::FileMade), (from, PreviewKind::FileGoes)];
            changed.chain(moved.map(|(file, kind)| preview(file, kind, "$", "", ""))).collect()
        }
        Edit::Register(Registering { file, list, entry, made, listed, .. }) => {
            let made = made.iter().map(|(file, text)| preview(file, PreviewKind::FileMade, "$", "", text));
            let known = (!listed).then(|| preview(file, PreviewKind::LibraryKnown, list, "", entry));
            made.chain(known).collect()
        }
        Edit::Link { link, old, new } => {
            let kind = match (old, new) {
                (_, None) => PreviewKind::LinkGoes,
                (Some(_), _) => PreviewKind::Replaced,
                (None, _) => PreviewKind::LinkMade,
            };
            vec![preview(link, kind, "link", &shown(old.as_deref()), &shown(new.as_deref()))]
        }
        Edit::Made { file, old, new } => {
            let kind = if new.is_some() { PreviewKind::FileMade } else { PreviewKind::FileGoes };
            let text = |text: &Option<String>| text.clone().unwrap_or_default();
            vec![preview(file, kind, "$", &text(old), &text(new))]
        }
        Edit::Enter(entering) => {
            let location = by(&entering.list, entering.id_at.as_deref(), &entering.id);
            vec![preview(&entering.file, PreviewKind::Arrives, &location, "", &entering.entry)]
        }
        Edit::Leave(entering) => {
            let location = by(&entering.list, entering.id_at.as_deref(), &entering.id);
            vec![preview(&entering.file, PreviewKind::Leaves, &location, &entering.entry, "")]
        }
        Edit::Follow(following) => {
            let location = format!("{} {}", following.list, following.id);
            let moved = preview(&following.file, PreviewKind::Replaced, &location, &following.from, &following.to);
            let changed = following.rewrites.iter().map(|rewrite| of_rewrite(&following.file, rewrite));
            changed.chain([moved]).collect()
        }
        Edit::Order { file, list, says, new, .. } => {
            vec![preview(file, PreviewKind::Replaced, &format!("{list}[{new}]"), "", says)]
        }
        Edit::Unregister(_) => Vec::new(),
    }
}

/// The place of a rewrite, through the documents within the text.
fn shown_location(rewrite: &Rewrite) -> String {
    let mut shown = rewrite.location.clone();
    for hop in &rewrite.inside {
        shown.push_str(&format!(" ({}) {}", Shape::Text(hop.format), hop.location));
    }
    shown
}
