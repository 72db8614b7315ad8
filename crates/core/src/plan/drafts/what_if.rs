//! A drive that is not there yet: what would be if it were.
//!
//! Law: such a drive is planned for like any other, and never hauled to.

use std::path::PathBuf;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::bytes::Bytes;
use crate::platform::{Abilities, Drive, DriveKind};
use crate::site::Site;
use crate::survey::{DriveState, Survey};

/// A drive that somebody thinks of buying, or has at home.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct WhatIf {
    /// The name it would have.
    pub name: String,
    /// Bytes in all.
    pub capacity: Bytes,
    /// Kind of device.
    pub kind: DriveKind,
    /// Name of its file system.
    pub file_system: String,
}

impl FromStr for WhatIf {
    type Err = String;

    /// Reads `name:size[:kind[:file system]]`, such as `crate:2TB:ssd:ext4`. Units are decimal.
    fn from_str(text: &str) -> Result<Self, String> {
        let mut parts = text.split(':');
        let name = parts.next().unwrap_or_default();
        let size = parts.next().ok_or("a size is missing, as in crate:2TB")?;
        let capacity = size.parse::<Bytes>()?;
        let kind = match parts.next().unwrap_or("ssd") {
            "nvme" => DriveKind::Nvme,
            "ssd" => DriveKind::Ssd,
            "disk" => DriveKind::Disk,
            "usb" => DriveKind::Usb,
            "network" => DriveKind::Network,
            other => return Err(format!("{other:?} isn't a kind of drive: nvme, ssd, disk, usb, network")),
        };
        let file_system = parts.next().unwrap_or("ext4").to_string();
        if name.is_empty() || name.len() == 1 && name.starts_with(|c: char| c.is_ascii_digit()) {
            return Err("it needs a name that isn't a number".into());
        }
        if parts.next().is_some() || !Abilities::of_file_system(&file_system).known {
            return Err(format!("{file_system:?} isn't a file system that is known here"));
        }
        Ok(Self { name: name.into(), capacity, kind, file_system })
    }
}

impl WhatIf {
    fn drive(&self) -> Drive {
        // A folder that nobody can have made: what is planned for it is never taken for what is there.
        let root = PathBuf::from("/what-if").join(self.name.replace('/', "-"));
        Drive {
            tag: None,
            id: None,
            name: self.name.clone(),
            mounts: vec![root.clone()],
            root,
            kind: self.kind,
            device: Some(format!("what-if:{}", self.name)),
            abilities: Abilities::of_file_system(&self.file_system),
            file_system: self.file_system.clone(),
            read_only: false,
            capacity: self.capacity,
            reserve: Drive::usual_reserve(self.capacity),
            declared: true,
            absent: true,
        }
    }

    /// Adds the drive to a site and its survey; a drive of this name that is there counts instead.
    pub fn add_to(&self, site: &mut Site, survey: &mut Survey) {
        if site.drives.iter().any(|drive| drive.name == self.name) {
            return;
        }
        let mut drive = self.drive();
        drive.tag = (1..=9).find(|tag| site.drives.iter().all(|other| other.tag != Some(*tag)));
        site.drives.push(drive.clone());
        let free = drive.capacity;
        survey.drives.push(DriveState { drive, used: Bytes::ZERO, free, games: Bytes::ZERO, held: Bytes::ZERO });
    }
}

#[cfg(test)]
mod tests {
    use super::super::draft::{Destination, Draft};
    use super::super::suggest::{Aim, suggest};
    use super::*;
    use crate::plan::projected;
    use crate::survey::made_up;

    #[test]
    fn a_drive_is_read_from_a_few_words() {
        let drive: WhatIf = "crate:2TB:nvme:btrfs".parse().unwrap();
        assert_eq!((drive.capacity, drive.kind), (Bytes::new(2_000_000_000_000), DriveKind::Nvme));
        assert_eq!("crate:500 GB".parse::<WhatIf>().unwrap().file_system, "ext4");
        for (text, part) in [
            ("crate", "size"),
            ("crate:much", "size"),
            ("crate:2TB:tape", "kind"),
            ("crate:2TB:ssd:shelf", "file system"),
            ("4:2TB", "name"),
            (":2TB", "name"),
        ] {
            let error = text.parse::<WhatIf>().unwrap_err();
            assert!(error.contains(part), "{text}: {error}");
        }
    }

    #[test]
    fn loads_and_suggestions_reckon_with_it() {
        let mut survey = made_up::survey_of(
            vec![made_up::drive("full", 100_000, 90_000, 5000)],
            vec![made_up::game("a", "full", 60_000, None)],
        );
        let mut site = Site {
            drives: survey.drives.iter().map(|state| state.drive.clone()).collect(),
            places: crate::site::Places::usual(std::path::Path::new("/h")),
            processes: "/proc".into(),
            disk: crate::disk::Disk::default(),
            world: None,
            known: Vec::new(),
        };
        let wish = Aim::Empty { drive: "full".into() };
        assert_eq!(suggest(&survey, &wish).lines.len(), 0);
        "crate:1MB".parse::<WhatIf>().unwrap().add_to(&mut site, &mut survey);
        assert_eq!(suggest(&survey, &wish).lines[0].to, "crate");
        let mut draft = Draft::default();
        draft.send(survey.games[0].id.clone(), Destination::Drive("crate".into()));
        let load = &projected(&survey, &draft)[1];
        assert_eq!((load.drive.as_str(), load.after.count()), ("crate", 60_000));
        assert!(site.find_drive("1").is_some_and(|drive| drive.absent));
    }
}
