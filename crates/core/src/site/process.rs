//! Who is running and who has files open.

use std::path::Path;

use super::Site;
use crate::platform::{Process, Processes, Wanted};

impl Site {
    fn process_list(&self) -> Processes<'_> {
        Processes { list: &self.processes, world: self.world.as_deref(), home: &self.places.home }
    }

    /// Finds the processes that bear one of the names or use one of the paths, but for ourselves.
    ///
    /// The second value is the number of processes whose files this person may not see.
    pub fn processes_using(&self, wanted: Wanted<'_>) -> (Vec<Process>, usize) {
        self.process_list().using(wanted)
    }

    /// Finds the first process that runs from a folder: its program or a file of it is mapped or open; that it works there
    /// is not enough.
    pub fn process_from(&self, folder: &Path) -> Option<Process> {
        self.process_list().running_from(folder)
    }

    /// Finds the processes that work in a compatibility layer of Windows: those with its folder in their surroundings, and the
    /// server that keeps its registry, which has its folder as its own or its socket beside it.
    pub fn processes_in_layer(&self, prefix: &Path) -> Vec<Process> {
        self.process_list().in_layer(prefix)
    }
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use crate::disk::Disk;
    use crate::platform::Sight;
    use crate::site::Places;
    use std::process::{Command, Stdio};

    /// A site without drives whose processes are those of this machine.
    fn this_machine(home: &Path) -> Site {
        Site {
            drives: Vec::new(),
            places: Places::usual(home),
            processes: "/proc".into(),
            disk: Disk::default(),
            world: None,
            known: Vec::new(),
        }
    }

    /// Numbers of the programs that work in a layer; asked for anew until there are as many as wanted, for two seconds.
    fn seen_in(site: &Site, prefix: &Path, wanted: usize) -> Vec<u32> {
        let mut seen = Vec::new();
        for _ in 0..200 {
            seen = site.processes_in_layer(prefix).iter().map(|process| process.pid).collect();
            if seen.len() == wanted {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        seen.sort_unstable();
        seen
    }

    #[test]
    fn a_layer_is_in_use_while_a_program_names_it_or_its_server_works_for_it() {
        use std::os::unix::fs::MetadataExt;
        let folder = tempfile::tempdir().unwrap();
        let real = folder.path().canonicalize().unwrap();
        let (prefix, other) = (real.join("pfx"), real.join("another"));
        std::fs::create_dir_all(prefix.join("dosdevices")).unwrap();
        std::fs::create_dir_all(&other).unwrap();
        let site = this_machine(&real);
        assert!(site.processes_in_layer(&prefix).is_empty());
        let sleep = || {
            let mut command = Command::new("sleep");
            command.arg("60").stdin(Stdio::null());
            command
        };
        let meta = prefix.metadata().unwrap();
        let server = real.join(format!("server-{:x}-{:x}", meta.dev(), meta.ino()));
        std::fs::create_dir(&server).unwrap();
        let mut children = [
            sleep().env("WINEPREFIX", &prefix).spawn().unwrap(),
            sleep().current_dir(&server).spawn().unwrap(),
            sleep().env("WINEPREFIX", &other).spawn().unwrap(),
        ];
        let mut wanted: Vec<u32> = children[..2].iter().map(std::process::Child::id).collect();
        wanted.sort_unstable();
        // A child has its surroundings once it is the program that it was started for.
        let seen = seen_in(&site, &prefix, wanted.len());
        for child in &mut children {
            child.kill().unwrap();
        }
        // One that has ended and was not asked for how is no program any more.
        let over = seen_in(&site, &prefix, 0);
        for child in &mut children {
            child.wait().unwrap();
        }
        assert_eq!(seen, wanted);
        assert_eq!(over, [0u32; 0]);
    }

    #[test]
    fn a_program_of_a_launchers_name_in_another_world_or_of_another_person_is_not_that_launcher() {
        let folder = tempfile::tempdir().unwrap();
        let real = folder.path().canonicalize().unwrap();
        let names = ["sleep".to_string()];
        let start = |about: &Path, user: Option<u32>| {
            use std::os::unix::process::CommandExt;
            let mut command = Command::new("sleep");
            command.arg("60").env("ABOUT", about).stdin(Stdio::null());
            user.map(|user| command.uid(user));
            command.spawn()
        };
        let seen = |site: &Site, child: u32| {
            // A child bears its name once it is the program that it was started for.
            (0..100).any(|_| {
                std::thread::sleep(std::time::Duration::from_millis(5));
                let (named, _) = site.processes_using(Wanted { names: &names, paths: &[] });
                named.iter().any(|process| process.pid == child)
            })
        };
        let world = |name: &str| Site { world: Some(real.join(name)), ..this_machine(&real) };
        std::fs::create_dir(real.join("one")).unwrap();
        let mut child = start(&real.join("one/home"), None).unwrap();
        let said = [world("one"), world("on"), world("two")].map(|site| seen(&site, child.id()));
        child.kill().unwrap();
        child.wait().unwrap();
        assert_eq!(said, [true, false, false]);
        // Only root can start a program as somebody else.
        let Ok(mut child) = start(&real, Some(12_345)) else {
            assert!(std::env::var_os("CI").is_none(), "this test has to run under CI");
            #[expect(clippy::print_stderr, reason = "who is not root is to see that it did not run")]
            {
                eprintln!("\n!!! NOT RUN: the test with another person's programs needs root !!!\n");
            }
            return;
        };
        let others = seen(&this_machine(&real), child.id());
        std::os::unix::fs::chown(&real, Some(12_345), None).unwrap();
        let their_own = seen(&this_machine(&real), child.id());
        child.kill().unwrap();
        child.wait().unwrap();
        assert_eq!((others, their_own), (false, true));
    }

    #[test]
    fn a_program_is_found_by_name_and_by_the_folder_it_works_in() {
        let folder = tempfile::tempdir().unwrap();
        let real = folder.path().canonicalize().unwrap();
        let mut child = Command::new("sleep").arg("60").current_dir(&real).stdin(Stdio::null()).spawn().unwrap();
        let site = this_machine(&real);
        let names = ["sleep".to_string()];
        let (named, _) = site.processes_using(Wanted { names: &names, paths: &[] });
        let (using, _) = site.processes_using(Wanted { names: &[], paths: std::slice::from_ref(&real) });
        child.kill().unwrap();
        child.wait().unwrap();
        assert!(named.iter().any(|p| p.pid == child.id() && p.why == Sight::Named));
        assert_eq!(using.len(), 1, "{using:?}");
        assert_eq!((using[0].pid, &using[0].why), (child.id(), &Sight::Uses(real)));
    }
}
