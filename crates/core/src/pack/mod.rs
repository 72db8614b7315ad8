//! TODO

mod portable;

pub use portable::{
    Met, Subject, add_to_survey, beside, bring_installer, check_needs, installers, plan_card, read_carried, subject,
    traced,
};
