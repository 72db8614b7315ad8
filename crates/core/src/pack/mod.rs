//! TODO

mod portable;

pub use portable::{
    NeedMet, PackSubject, add_to_survey, beside, bring_installer, check_needs, installers, plan_card, read_carried,
    subject, traced,
};
