//! Places of several games that are alike, as one pattern: what differs is any name or number.

use crate::record::{Step, step_text};

/// A step that is the same for all games, or any.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum PatternStep {
    Name(String),
    Any,
    /// The element of a list that says a name, as the filter that finds it.
    Where(String),
    /// The part of an entry that stands at a number in it.
    Nth(usize),
}

/// Steps to a place.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Pattern(pub Vec<PatternStep>);

impl Pattern {
    /// What places of one length have in common. Numbers always differ.
    pub fn of(places: &[&[Step]]) -> Self {
        let length = places.iter().map(|place| place.len()).min().unwrap_or(0);
        let step = |at: usize| match &places[0][at] {
            Step::Name(name) if places.iter().all(|place| place[at] == places[0][at]) => {
                PatternStep::Name(name.clone())
            }
            _ => PatternStep::Any,
        };
        Self((0..length).map(step).collect())
    }

    /// Has a name that is a number be any.
    pub fn number_is_any(&mut self, place: &[Step]) {
        let number = |step: &Step| matches!(step, Step::Name(name) if !name.is_empty() && name.bytes().all(|b| b.is_ascii_digit()));
        if let Some(at) = place.iter().rposition(number) {
            self.0[at] = PatternStep::Any;
        }
    }

    /// The steps as a JSONPath from the root of what they stand in.
    pub fn selector(&self) -> String {
        let mut out = String::from("$");
        for step in &self.0 {
            match step {
                PatternStep::Name(name) => out.push_str(&step_text(&Step::Name(name.clone()))),
                PatternStep::Any => out.push_str("[*]"),
                PatternStep::Where(filter) => out.push_str(filter),
                PatternStep::Nth(nth) => out.push_str(&format!("[{nth}]")),
            }
        }
        out
    }

    /// The same to the first of each, as the texts of an entry have it.
    pub fn first(&self) -> String {
        self.selector().replace("[*]", "[0]")
    }

    /// Whether a place is one of these.
    pub fn fits(&self, place: &[Step]) -> bool {
        let alike = |(pattern, step): (&PatternStep, &Step)| match (pattern, step) {
            (PatternStep::Any, _) | (PatternStep::Where(_), Step::Index(_)) => true,
            (PatternStep::Nth(nth), Step::Index(other)) => nth == other,
            (PatternStep::Name(name), Step::Name(other)) => name == other,
            (PatternStep::Where(_) | PatternStep::Nth(_), Step::Name(_)) | (PatternStep::Name(_), Step::Index(_)) => {
                false
            }
        };
        self.0.len() == place.len() && self.0.iter().zip(place).all(alike)
    }

    /// Numbers of the steps that differ.
    pub fn variable(&self) -> Vec<usize> {
        (0..self.0.len()).filter(|n| self.0[*n] == PatternStep::Any).collect()
    }
}

/// Which steps are numbers: places of two kinds are never alike.
pub(super) fn kinds(place: &[Step]) -> Vec<bool> {
    place.iter().map(|step| matches!(step, Step::Index(_))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Place;

    fn steps(path: &str) -> Vec<Step> {
        Place::read(path).unwrap().0
    }

    #[test]
    fn what_differs_between_games_is_any() {
        let places = [steps("$.all[0]['a b'].at"), steps("$.all[0].c.at")];
        let all: Vec<&[Step]> = places.iter().map(Vec::as_slice).collect();
        let pattern = Pattern::of(&all);
        assert_eq!(pattern.selector(), "$['all'][*][*]['at']");
        assert_eq!(pattern.variable(), [1, 2]);
        assert!(places.iter().all(|place| pattern.fits(place)));
        assert!(!pattern.fits(&steps("$.all[0].c.in")));
    }
}
