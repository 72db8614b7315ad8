//! What a running haul tells, as whoever watches it hears it.

use crate::present::words;
use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::haul::HaulEvent;
use deft_barge_core::item::{Progress, StageKind};
use serde::{Deserialize, Serialize};

/// What is heard of a running haul, in whatever program of ours it runs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "heard")]
pub enum Heard {
    /// An item has reached a stage.
    Stage { haul: HaulId, item: ItemId, title: String, stage: StageKind },
    /// An item goes on.
    Progress { progress: Progress },
    /// An item waits for something, or its drive does not answer.
    HeldUp { item: ItemId, title: String, text: String },
    /// Something that is worth a sentence.
    Said { text: String },
    /// An item did not go on.
    Failed { item: ItemId, title: String, why: String },
}

impl Heard {
    pub fn of(event: HaulEvent) -> Self {
        match event {
            HaulEvent::Progress(progress) => Self::Progress { progress },
            HaulEvent::Stage { haul, item, title, stage } => Self::Stage { haul, item, title, stage },
            HaulEvent::Waiting { item, title, findings } => {
                let text = crate::present::waiting(&title, &findings);
                Self::HeldUp { item, title, text }
            }
            HaulEvent::Hung { item, title, path, seconds } => {
                let text = crate::present::hung(&title, &path, seconds);
                Self::HeldUp { item, title, text }
            }
            HaulEvent::Proved { title, proof, .. } => {
                let download = proof.to_download.map_or("an unknown number of bytes".into(), |bytes| bytes.to_string());
                let files = words::several(proof.files, "file");
                Self::Said { text: format!("{title}: {files} checked, its launcher would download {download}") }
            }
            HaulEvent::Searching => Self::Said { text: words::SEARCHING.into() },
            HaulEvent::Searched { title, residue, .. } => {
                Self::Said { text: format!("{title}: {}", words::residue(&residue)) }
            }
            HaulEvent::Released { title, bytes, left, .. } => {
                let stays = if left > 0 {
                    format!("; {}, changed since they were verified, stay where they are", words::several(left, "file"))
                } else {
                    String::new()
                };
                Self::Said { text: format!("{title}: freed {bytes}{stays}") }
            }
            HaulEvent::Failed { item, title, why } => Self::Failed { item, title, why },
        }
    }
}
