//! The edit that lists a new library.

use super::unchangeable::Unchangeable;
use crate::launcher::{FoundLauncher, Libraries};
use crate::record::Bases;
use crate::record::Edit;
use crate::record::Format;
use crate::record::Letters;
use crate::record::Place;
use crate::record::Registering;
use crate::record::Shape;
use crate::record::Source;
use crate::record::Spelling;
use crate::record::SpellingError;
use crate::record::Step;
use crate::record::numbered;
use crate::site::Site;
use std::path::{Path, PathBuf};

/// The number that a new library gets: the next one after those that are listed, and after those that earlier items of its haul make known;
/// and what that makes of the names that differ by such a number.
pub(super) fn next_number(
    found: &FoundLauncher,
    (file, source): (&Path, &Source),
    library: &Path,
    earlier: &[Edit],
) -> Result<(u64, String), String> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries")?;
    let by_field = libraries.id.as_deref().filter(|id| *id != "key");
    let called = |place: &Place| match (by_field, place.0.last()) {
        (Some(id), _) => source.below(place, id),
        (None, Some(Step::Name(name))) => Some(name.clone()),
        // Among other things the place of a new one is not the next after the last of them.
        (None, Some(Step::Index(nth))) if libraries.entries.is_none() => Some(nth.to_string()),
        (None, _) => None,
    };
    let entries = libraries.entries_in(source).map_err(|e| e.to_string())?;
    let names: Option<Vec<String>> = entries.iter().map(called).collect();
    let names = names.unwrap_or_default();
    let parts: Option<Vec<(&str, u64, &str)>> = names.iter().map(|name| numbered(name)).collect();
    let alike =
        |parts: &Vec<(&str, u64, &str)>| parts.windows(2).all(|two| (two[0].0, two[0].2) == (two[1].0, two[1].2));
    let numbers = parts.filter(|parts| !parts.is_empty() && alike(parts));
    let numbers = numbers.ok_or("its libraries aren't numbered in a row, so a new one can't get the next number")?;
    let (before_it, behind_it) = (numbers[0].0, numbers[0].2);
    let mut before: Vec<&Path> = Vec::new();
    for edit in earlier {
        if let Edit::Register(Registering { file: other, library: Some(other_library), listed: false, .. }) = edit
            && other == file
            && !before.contains(&other_library.as_path())
        {
            before.push(other_library);
        }
    }
    let nth = before.iter().position(|known| *known == library).unwrap_or(before.len());
    let last = numbers.iter().map(|(_, number, _)| *number).max().unwrap_or_default();
    let next = last + 1 + nth as u64;
    Ok((next, format!("{before_it}{next}{behind_it}")))
}

/// A library as the list spells the last one of which it says the place; in a list that says none, plainly.
pub(super) fn written_like_others(
    libraries: &Libraries,
    source: &Source,
    library: &Path,
    bases: &Bases,
) -> Result<String, Unchangeable> {
    let entries = libraries.entries_in(source).map_err(|e| e.to_string())?;
    let said = entries.into_iter().rev();
    let mut said = said.filter_map(|entry| Spelling::read(&source.below(&entry, &libraries.path)?, bases).ok());
    let Some((spelling, _)) = said.next() else {
        let plain = library.to_str().map(str::to_string);
        return Ok(plain.ok_or_else(|| format!("{} is not text", library.display()))?);
    };
    match spelling.write(library, bases) {
        Ok(written) => Ok(written.0),
        Err(SpellingError::NoLetter { path, prefix }) => {
            let free = bases.letters.iter().find(|layer| layer.prefix() == prefix).and_then(Letters::free);
            Err(Unchangeable::NoLetter { prefix, path, free: free.map(|(letter, _)| letter) })
        }
        Err(error) => Err(error.to_string().into()),
    }
}

/// The edit that lists a new library, and makes its own file.
pub(crate) fn register(
    site: &Site,
    found: &FoundLauncher,
    bases: &Bases,
    (library, list_file): (&Path, &Path),
    earlier: &[Edit],
) -> Result<Edit, Unchangeable> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries".to_string())?;
    let (file, source, shape) = libraries_file(site, found)?;
    // A row of a database is said as a JSON object.
    let format = match shape {
        Shape::Sqlite => Format::Json,
        _ => shape.format().ok_or("a link lists no libraries".to_string())?,
    };
    stands_alone(&source, &source.find_one(&libraries.list).map_err(|e| e.to_string())?, &file)?;
    let entry = libraries.new_entry.as_ref().ok_or("the profile has no entry for a new library".to_string())?;
    let mut entry = entry.clone();
    if entry.contains("{nr}") {
        let (next, _) = next_number(found, (&file, &source), library, earlier)?;
        entry = entry.replace("{nr}", &next.to_string());
    }
    let bases = bases.seen_from(&file);
    let written = written_like_others(libraries, &source, library, &bases)?;
    let plain = library.to_string_lossy();
    // An entry may have a part of the spelling itself, and its own quotes: it has to say what the others would, or lead there.
    let texts = [written.as_str(), &plain];
    let ways = texts.iter().flat_map(|text| quoted_ways(format, text).into_iter().map(|way| (*text, way)));
    let says = |entry: &str| -> Option<String> {
        let value = match &source {
            Source::Text(document) => {
                let list = document.find_one(&libraries.list).ok()?;
                document.read_entry(&list, entry).ok()?.1
            }
            Source::Tables(_) => serde_json::from_str(entry).ok()?,
            Source::Link(_) => return None,
        };
        let place = crate::record::find_in(&value, &libraries.path).ok()?.into_iter().next()?;
        place.of(&value)?.as_str().map(str::to_string)
    };
    let leads = |text: &str| Spelling::read(text, &bases).is_ok_and(|(_, path)| path == library);
    let mut fitting = ways.filter_map(|(text, way)| {
        let entry = entry.replace("{library}", &way);
        let says = says(&entry)?;
        (says == text || leads(&says)).then_some((says != written, entry))
    });
    let exact = fitting.clone().find(|(other, _)| !other).or_else(|| fitting.next());
    let (_, entry) =
        exact.ok_or_else(|| format!("{} can't be listed as a library in {}", library.display(), file.display()))?;
    let made = libraries.new_file.as_ref().map(|text| (list_file.to_path_buf(), text.clone()));
    let (list, path) = (libraries.list.clone(), Some(libraries.path.clone()));
    let id = libraries.id.clone().filter(|id| id != "key");
    Ok(Edit::Register(Registering {
        file,
        format,
        list,
        entry,
        path,
        made,
        listed: false,
        library: Some(library.into()),
        id,
    }))
}

/// Refuses what would change a list within a text: only what its entries say is changed there.
pub(super) fn stands_alone(source: &Source, place: &Place, file: &Path) -> Result<(), String> {
    match source.split(place) {
        None => Ok(()),
        Some((text, _)) => {
            Err(format!("{}: the list is part of the text at {text}, and entries of it stay in it", file.display()))
        }
    }
}

/// The file that lists a launcher's libraries.
pub(super) fn libraries_file(site: &Site, found: &FoundLauncher) -> Result<(PathBuf, Source, Shape), String> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries")?;
    let file = PathBuf::from(libraries.file.fill(&found.values(site)).map_err(|e| e.to_string())?);
    let shape = libraries.shape.unwrap_or_else(|| Shape::of_name(&file));
    let source = Source::read(&file, shape).map_err(|e| e.to_string())?;
    Ok((file, source, shape))
}

/// The ways in which a text may stand in an entry of a format, the likeliest first: what is around it decides.
fn quoted_ways(format: Format, text: &str) -> Vec<String> {
    let mut ways = vec![quoted_in(format, text), text.to_string(), text.replace('\'', "''")];
    if format == Format::PropertyList {
        ways.insert(0, text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;"));
    }
    // What stands in quotes of a table has them twice.
    ways.push(format!("\"{}\"", text.replace('"', "\"\"")));
    ways.push(quoted_in(Format::Json, text));
    // What stands without quotes may need them.
    ways.push(format!("\"{}\"", quoted_in(Format::Json, text)));
    ways.dedup();
    ways
}

/// A path as it stands between quotes in a format.
pub(crate) fn quoted_in(format: Format, path: &str) -> String {
    if format == Format::Xml {
        path.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;").replace('\'', "&apos;")
    } else if !matches!(format, Format::Json | Format::Jsonc | Format::JsonLines | Format::Toml | Format::Yaml) {
        path.to_string()
    } else {
        let path = serde_json::Value::String(path.into()).to_string();
        path[1..path.len() - 1].to_string()
    }
}
