//! The access lists of Windows, as their bytes lie in a security descriptor (MS-DTYP 2.4.4 to 2.4.6): which of them somebody set himself.

/// Control bits of a descriptor: there is such a list; nothing comes into it from the folder.
const PRESENT: u16 = 0x4;
const PROTECTED: u16 = 0x1000;
/// The flag of an entry that came from the folder.
const INHERITED: u8 = 0x10;
/// The head of a list, and of an entry.
const LIST_HEAD: usize = 8;
const ENTRY_HEAD: usize = 4;

fn u16_at(bytes: &[u8], at: usize) -> Option<u16> {
    Some(u16::from_le_bytes(bytes.get(at..at + 2)?.try_into().ok()?))
}

/// What somebody set on a file or folder itself, of its security descriptor: one byte that says whether nothing comes from its folder, and
/// a list of the entries that don't. `None` where all of it comes from there, or everybody may do everything.
pub(crate) fn own_access(descriptor: &[u8]) -> Option<Vec<u8>> {
    let control = u16_at(descriptor, 2)?;
    let at = u32::from_le_bytes(descriptor.get(16..20)?.try_into().ok()?) as usize;
    if control & PRESENT == 0 || at == 0 {
        return None;
    }
    let list = descriptor.get(at..)?;
    let list = list.get(..u16_at(list, 2)?.into())?;
    let alone = control & PROTECTED != 0;
    let (mut own, mut count) = (Vec::new(), 0_u16);
    let mut rest = list.get(LIST_HEAD..)?;
    for _ in 0..u16_at(list, 4)? {
        let size = usize::from(u16_at(rest, 2)?);
        let (entry, behind) = rest.split_at_checked(size).filter(|_| size >= ENTRY_HEAD)?;
        if entry.get(1)? & INHERITED == 0 {
            own.extend_from_slice(entry);
            count += 1;
        }
        rest = behind;
    }
    if count == 0 && !alone {
        return None;
    }
    let size = u16::try_from(LIST_HEAD + own.len()).ok()?;
    let mut out = vec![u8::from(alone), *list.first()?, 0];
    out.extend(size.to_le_bytes());
    out.extend(count.to_le_bytes());
    out.extend([0, 0]);
    out.extend(own);
    Some(out)
}

/// Whether nothing comes from the folder, and the list, of what [`own_access`] gave.
pub(crate) fn access_list(own: &[u8]) -> Option<(bool, &[u8])> {
    let (alone, list) = own.split_first()?;
    Some((*alone != 0, list))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn list_of(entries: &[(u8, Vec<u8>)]) -> Vec<u8> {
        let mut all = Vec::new();
        for (flags, rest) in entries {
            let size = (ENTRY_HEAD + rest.len()) as u16;
            all.extend([0, *flags]);
            all.extend(size.to_le_bytes());
            all.extend(rest);
        }
        let mut list = vec![2, 0];
        list.extend(((LIST_HEAD + all.len()) as u16).to_le_bytes());
        list.extend((entries.len() as u16).to_le_bytes());
        list.extend([0, 0]);
        list.extend(all);
        list
    }

    fn descriptor(control: u16, list: &[u8]) -> Vec<u8> {
        let mut out = vec![1, 0];
        out.extend(control.to_le_bytes());
        out.extend([0; 12]);
        out.extend(20_u32.to_le_bytes());
        out.extend(list);
        out.extend([0; 9]);
        out
    }

    fn entries() -> impl Strategy<Value = Vec<(u8, Vec<u8>)>> {
        let rest = proptest::collection::vec(any::<u8>(), 0..6).prop_map(|rest| rest.repeat(4));
        proptest::collection::vec((any::<u8>(), rest), 0..6)
    }

    proptest! {
        #[test]
        fn what_came_from_the_folder_is_left_to_the_folder_and_the_rest_is_kept_in_its_order(
            entries in entries(), alone in any::<bool>(),
        ) {
            let control = 0x8000 | PRESENT | if alone { PROTECTED } else { 0 };
            let own: Vec<_> = entries.iter().filter(|(flags, _)| flags & INHERITED == 0).cloned().collect();
            let found = own_access(&descriptor(control, &list_of(&entries)));
            prop_assert_eq!(found.is_some(), alone || !own.is_empty());
            if let Some(found) = found {
                let own = list_of(&own);
                prop_assert_eq!(access_list(&found), Some((alone, own.as_slice())));
            }
            prop_assert_eq!(own_access(&descriptor(control & !PRESENT, &list_of(&entries))), None);
        }

        #[test]
        fn no_bytes_are_taken_for_more_than_they_hold(bytes in proptest::collection::vec(any::<u8>(), 0..64), cut in 0_usize..80) {
            let _ = own_access(&bytes);
            let whole = descriptor(0x8000 | PRESENT, &list_of(&[(0, vec![7; 12]), (0, vec![8; 16])]));
            let list_ends = whole.len() - 9;
            prop_assert_eq!(own_access(&whole[..cut.min(whole.len())]).is_some(), cut >= list_ends);
        }
    }
}
