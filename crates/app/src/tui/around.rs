//! What a person does with what lies around games: user data goes along, and finds are acted on.

use deft_barge_core::finds::{FindAct, Lying};
use deft_barge_core::plan::{Adoption, Destination};
use deft_barge_core::survey::UserData;

use super::keys::View;
use super::state::{Act, Errand, State};

impl State {
    /// User data of the game under the cursor.
    pub fn data_here(&self) -> Vec<&UserData> {
        let (Some(survey), Some(game)) = (&self.survey, self.game_here()) else { return Vec::new() };
        survey.user_data.iter().filter(|data| data.game.as_ref() == Some(&game.id)).collect()
    }

    pub(super) fn turn_to_data(&mut self) {
        let can_go = self.data_here().iter().any(|data| !data.ways.is_empty());
        self.on_data = !self.on_data && can_go;
        if !can_go {
            self.message = Some("No user data of this game is known that could go.".into());
        }
    }

    /// Sends the user data of the game under the cursor to a drive; leaves what lies there already.
    pub(super) fn send_data(&mut self, drive: &str) {
        let all: Vec<_> = self
            .data_here()
            .into_iter()
            .filter(|data| !data.ways.is_empty())
            .map(|data| (data.id.clone(), data.drive.as_deref() == Some(drive)))
            .collect();
        for (id, is_there) in all {
            if is_there {
                self.draft.keep(&id);
            } else {
                self.draft.send(id, Destination::Drive(drive.into()));
            }
        }
        self.redraft();
    }

    /// Has the user data of the game under the cursor go in the next of its ways.
    pub(super) fn other_way(&mut self) {
        let ways: Vec<_> = self.data_here().into_iter().map(|data| (data.id.clone(), data.ways.clone())).collect();
        let mut turned = false;
        for (id, ways) in ways {
            let Some(lot) = self.draft.lots.iter_mut().find(|lot| lot.game == id) else { continue };
            let now = ways.iter().position(|way| Some(*way) == lot.way).unwrap_or(0);
            lot.way = ways.get((now + 1) % ways.len().max(1)).copied();
            turned = true;
        }
        if turned {
            self.redraft();
        } else {
            self.message = Some("Its user data is not on this haul: u, then a drive's digit, sends it.".into());
        }
    }

    /// Does what fits the find under the cursor: its plan is looked at in the Haul view before anything is done.
    pub(super) fn act_on_find(&mut self, act: FindAct) -> Vec<Act> {
        let Some((lying, anchors)) = &self.finds else { return Vec::new() };
        let errand = match (anchors.get(self.find), lying.get(self.find.saturating_sub(anchors.len()))) {
            (Some(anchor), _) if act == FindAct::Reanchor => Errand::Anchor(anchor.old.clone(), anchor.new.clone()),
            (None, Some(lying)) if lying.acts.contains(&act) => match (act, &lying.what) {
                (FindAct::Adopt, Lying::Stray { fits: Some(fit), .. }) => Errand::Adoption(Box::new(Adoption {
                    path: lying.path.clone(),
                    launcher: fit.launcher.clone(),
                    id: fit.id.clone(),
                    title: fit.title.clone(),
                    program: None,
                    to: None,
                })),
                (FindAct::Reanchor | FindAct::Haul | FindAct::Adopt, _) => {
                    self.message = Some(match act {
                        FindAct::Reanchor => "Where its drive is now is not known: deft-barge re-anchor OLD NEW".into(),
                        _ => format!("From the command line: deft-barge haul --traced {}", lying.path.display()),
                    });
                    return Vec::new();
                }
                _ => Errand::Removal(Box::new(lying.clone()), act),
            },
            _ => {
                self.message = Some("That does not fit this find; what fits stands beside it.".into());
                return Vec::new();
            }
        };
        self.redraft();
        self.act = Some(errand);
        self.show(View::Haul)
    }
}
