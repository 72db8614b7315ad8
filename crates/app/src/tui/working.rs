//! Which commands do something now, for what is under the cursor: the line below a view names these alone.

use deft_barge_core::item::Severity;
use deft_barge_core::survey::CleanupAct;

use super::state::State;
use crate::commands::{View, Wish};
use crate::tui::model::RunningItem;

impl State {
    /// Whether a command would do something in the view that is shown.
    pub fn works_now(&self, wish: Wish) -> bool {
        match self.view {
            View::Drives => self.works_in_drives(wish),
            View::Haul => self.works_in_haul(wish),
            View::Running => self.works_in_running(wish),
            View::Proof => self.works_in_proof(wish),
            View::Log => self.works_in_log(wish),
            View::Records => !matches!(wish, Wish::Open) || !self.records.rows.is_empty(),
            View::Cleanup => self.works_in_cleanup(wish),
        }
    }

    fn works_in_drives(&self, wish: Wish) -> bool {
        let any = self.survey.as_ref().is_some_and(|survey| !survey.games.is_empty());
        match wish {
            Wish::Sort | Wish::Filter | Wish::UserData | Wish::Room | Wish::Empty => any,
            Wish::Mark | Wish::Launch => self.game_here().is_some(),
            Wish::Keep => self.game_here().is_some_and(|game| self.drives.layout.sent.contains_key(&game.id)),
            Wish::Open => !self.drafted.draft.items.is_empty(),
            _ => true,
        }
    }

    fn works_in_haul(&self, wish: Wish) -> bool {
        let Some(plan) = &self.haul.plan else {
            let of_a_plan = matches!(wish, Wish::Start | Wish::Accept | Wish::TryFirst | Wish::Files | Wish::Places);
            return !of_a_plan;
        };
        match wish {
            Wish::Start => self.may_start(),
            Wish::Accept => {
                let warns = plan.findings.iter().any(|finding| finding.severity == Severity::Warning);
                warns && !self.haul.accepted && !plan.blocked()
            }
            Wish::Places => !self.haul.places.is_empty(),
            Wish::TryFirst => plan.items.len() > 1,
            Wish::Files => !plan.items.is_empty(),
            _ => true,
        }
    }

    fn works_in_running(&self, wish: Wish) -> bool {
        let idle = self.idle();
        match wish {
            Wish::Pause | Wish::Slower | Wish::Faster | Wish::Bell => !idle,
            Wish::Cancel => !idle || self.unfinished().is_some(),
            Wish::CancelItem => !idle && self.running.items.get(self.running.cursor).is_some_and(RunningItem::runs),
            Wish::Resume => idle && self.unfinished().is_some(),
            Wish::Release => idle && self.to_release().is_some(),
            Wish::Undo => idle && self.to_undo().is_some(),
            _ => true,
        }
    }

    fn works_in_proof(&self, wish: Wish) -> bool {
        let differs = || self.proof_here().is_some_and(|proof| !proof.differences.is_empty());
        match wish {
            Wish::Verify | Wish::Launch | Wish::Export => self.item_proved().is_some(),
            Wish::Open => !self.proofs.rows.is_empty(),
            Wish::Repair => self.proof_here().is_some_and(|proof| !proof.holds()),
            Wish::NextDifference | Wish::PreviousDifference => differs(),
            Wish::NextPart | Wish::PreviousPart => self.items_proved().len() > 1,
            Wish::Release => self.idle() && self.to_release().is_some(),
            Wish::Undo => self.idle() && self.to_undo().is_some(),
            _ => true,
        }
    }

    fn works_in_log(&self, wish: Wish) -> bool {
        match wish {
            Wish::Open | Wish::Audit | Wish::Export => self.haul_here().is_some(),
            Wish::Release => self.idle() && self.to_release().is_some(),
            Wish::Undo => self.idle() && self.to_undo().is_some(),
            _ => true,
        }
    }

    fn works_in_cleanup(&self, wish: Wish) -> bool {
        match wish {
            Wish::Act(act) => {
                let moved = self.cleanup.finds.as_ref().is_some_and(|(_, anchors)| self.cleanup.find < anchors.len());
                let fits = self.find_here().is_some_and(|find| find.acts.contains(&act));
                fits || (moved && act == CleanupAct::Remap)
            }
            Wish::Trace => self.cleanup.finds.is_some(),
            _ => true,
        }
    }
}
