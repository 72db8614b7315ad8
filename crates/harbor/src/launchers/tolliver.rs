//! Tolliver: an XML file with places and titles, and an INI in each game's folder that says the folder again.

use std::path::{Path, PathBuf};

use super::{by_records, read};
use crate::quillgate::Judgement;
use crate::system::start_of;

pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let text = read(&home.join("shelf.xml"))?;
    let document = roxmltree::Document::parse(&text).map_err(|e| e.to_string())?;
    let titles = document.root_element().children().filter(|node| node.has_tag_name("title"));
    let mut titles = titles.filter(|node| node.attribute("id") == Some(game) || node.attribute("name") == Some(game));
    let title = titles.next().ok_or_else(|| format!("no title is {game}"))?;
    if titles.next().is_some() {
        return Err(format!("{game} stands twice"));
    }
    let folder = PathBuf::from(title.attribute("at").ok_or("a title without a place")?);
    let mut places = document.root_element().children().filter(|node| node.has_tag_name("place"));
    let within = places.any(|place| place.attribute("at").is_some_and(|at| folder.starts_with(at)));
    let own = read(&folder.join("tolliver.ini"))?;
    let says = |key: &str| own.lines().find_map(|line| line.strip_prefix(&format!("{key} = ")));
    let agree = within
        && says("folder").map(Path::new) == Some(&folder)
        && says("program").map(Path::new) == Some(&start_of(&folder))
        && says("id") == title.attribute("id");
    let program = start_of(&folder);
    Ok(by_records(title.attribute("id").unwrap_or_default(), folder, &program, agree))
}
