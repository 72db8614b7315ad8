//! Looking at what is there and comparing it with what is known, side by side and never all in memory.

mod account;
mod bytes;
mod closer;
mod launcher;
mod merge;
mod readers;
mod rewritten;
mod same_folder;
mod still_pointing;
mod unchanged;

pub use account::Depth;
pub(crate) use account::{ProofSubject, look};
pub(crate) use bytes::has_the_bytes;
pub use closer::{BlockState, ByteDifference, Closer, ListedEntry, listed_entries, look_closer};
pub(crate) use launcher::{
    add_item_records, add_records, all_agree, by_edits, content_list, contents_of, edits_stand, has_digest,
    lists_others_in, others_go_through, profiles_of, what_records_say,
};
pub(crate) use merge::{Joined, LinkHandling, is_as_it_was, merge_join, same};
pub(crate) use readers::crew;
pub(crate) use rewritten::{Rewritten, in_item, is_rewritten, rewritten_at, rewritten_in};
pub(crate) use same_folder::{are_one, identity, is_folder_of};
pub(crate) use still_pointing::{has_moved, still_pointing};
pub(crate) use unchanged::{both_are_the_same, not_as_seen};
