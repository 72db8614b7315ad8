//! JSONPath selectors: bounded, so that none takes longer than what it looks at.

use super::fault::{DocumentError, cut};
use super::place::{Place, Step};
use serde_json::Value;
use serde_json_path::{JsonPath, PathElement};

/// The longest selector and template that there are, in bytes, and how deep one nests: what parses them goes down with every bracket.
const LONGEST: usize = 4096;

const DEEPEST: usize = 32;

/// Filters within one another: each takes what parses them twice as long.
const FILTERS: usize = 6;

/// Refuses a selector that is longer, or nests deeper, than anybody writes one.
fn bounded(selector: &str) -> Result<(), String> {
    if selector.len() > LONGEST {
        return Err(format!("it is longer than {LONGEST} bytes"));
    }
    // Of each open bracket, whether it is a filter's.
    let mut open: Vec<bool> = Vec::new();
    let (mut quote, mut escaped) = (None, false);
    for c in selector.chars() {
        match (quote, c) {
            (Some(_), _) if escaped => escaped = false,
            (Some(_), '\\') => escaped = true,
            (Some(open), c) if c == open => quote = None,
            (None, '\'' | '"') => quote = Some(c),
            (None, '[' | '(') => open.push(false),
            (None, ']' | ')') => drop(open.pop()),
            (None, '?') => open.last_mut().into_iter().for_each(|filter| *filter = true),
            _ => {}
        }
        if open.len() > DEEPEST {
            return Err(format!("it nests deeper than {DEEPEST} brackets"));
        }
        if c == '?' && open.iter().filter(|filter| **filter).count() > FILTERS {
            return Err(format!("it nests more than {FILTERS} filters"));
        }
    }
    // What parses it gives up altogether where a text ends in the middle of an escape.
    match quote {
        Some(quote) => Err(format!("the text behind {quote} has no end")),
        None => Ok(()),
    }
}

/// Reads a JSONPath (RFC 9535), or says why it is none.
pub(crate) fn read_selector(selector: &str) -> Result<JsonPath, String> {
    bounded(selector)?;
    JsonPath::parse(selector).map_err(|error| error.to_string())
}

/// Finds all places of a plain value that a JSONPath selects.
pub(crate) fn find_in(value: &Value, selector: &str) -> Result<Vec<Place>, DocumentError> {
    let path = read_selector(selector).map_err(|what| DocumentError::Selector { selector: cut(selector), what })?;
    let step = |element: &PathElement<'_>| match element {
        PathElement::Name(name) => Step::Name((*name).to_string()),
        PathElement::Index(n) => Step::Index(*n),
    };
    let located = path.query_located(value);
    Ok(located.locations().map(|location| Place(location.iter().map(step).collect())).collect())
}
