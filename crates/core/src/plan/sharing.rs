//! Which items share a drive so that they have to wait for one another.

use crate::item::PlannedItem;
use crate::platform::DriveKind;
use crate::site::Site;

/// Whether two items would fight for a drive: memory and flash on a fast bus serve two at once, if the other ends differ.
pub(crate) fn fight(site: &Site, one: &PlannedItem, other: &PlannedItem) -> bool {
    let ends = |item: &PlannedItem| [item.from_drive.clone(), Some(item.to_drive.clone())];
    let serves_many = |name: &str| {
        let kind = site.find_drive(name).map(|drive| drive.kind);
        matches!(kind, Some(DriveKind::Nvme | DriveKind::Ssd | DriveKind::Memory))
    };
    let device = |name: &Option<String>| {
        let drive = name.as_ref().and_then(|name| site.find_drive(name));
        drive.and_then(|drive| drive.device.clone()).or_else(|| name.clone())
    };
    let mut shared = 0;
    let mut contended = false;
    for end in ends(one) {
        if ends(other).iter().any(|there| device(there) == device(&end)) {
            shared += 1;
            contended |= !end.as_deref().is_some_and(serves_many);
        }
    }
    contended || shared == 2
}
