//! A real compatibility layer: it writes its registry, we rewrite it, it reads back; through its own drive links.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use deft_barge_core::record::{Bases, Document, Format, Letters, Side, Spelling};

struct Layer {
    program: PathBuf,
    prefix: tempfile::TempDir,
}

impl Layer {
    fn new() -> Option<Self> {
        let places = ["/usr/lib/wine/wine64", "/usr/bin/wine64", "/usr/bin/wine"];
        let program = places.iter().map(PathBuf::from).find(|path| path.exists())?;
        Some(Self { program, prefix: tempfile::tempdir().unwrap() })
    }

    fn command(&self, program: &Path) -> Command {
        let mut command = Command::new(program);
        command.env("WINEPREFIX", self.prefix.path()).env("WINEDEBUG", "-all").env("WINEARCH", "win64");
        command.env("WINEDLLOVERRIDES", "mscoree,mshtml=").env_remove("DISPLAY").stdin(Stdio::null());
        command
    }

    fn reg(&self, arguments: &[&str]) -> String {
        let output = self.command(&self.program).arg("reg").args(arguments).output().unwrap();
        let said = String::from_utf8_lossy(&output.stdout).replace('\r', "");
        assert!(output.status.success(), "{arguments:?}: {said}{}", String::from_utf8_lossy(&output.stderr));
        said
    }

    /// Waits until its server has ended and written the registry.
    fn rest(&self) {
        let servers = ["/usr/lib/wine/wineserver64", "/usr/lib/wine/wineserver", "/usr/bin/wineserver"];
        let server = servers.iter().map(Path::new).find(|path| path.exists()).unwrap();
        let _ = self.command(server).arg("-k15").status();
        self.command(server).arg("-w").status().unwrap();
    }
}

const KEY: &str = "HKCU\\Software\\Drift & Däughters\\Undertow [Bay]";

#[test]
fn a_compatibility_layer_reads_back_what_we_rewrote_in_its_registry() {
    let Some(layer) = Layer::new() else { return super::missing("Wine") };
    let add = |name: &str, kind: &str, data: &str| {
        layer.reg(&["add", KEY, "/v", name, "/t", kind, "/d", data, "/f"]);
    };
    add("Folder", "REG_SZ", "Z:\\mnt\\old drive\\Gäme");
    add("Quoted \"name\"", "REG_SZ", "say \"C:\\x\"");
    add("Expand", "REG_EXPAND_SZ", "%USERPROFILE%\\saves");
    add("Many", "REG_MULTI_SZ", "Z:\\mnt\\one\\0Z:\\mnt\\two");
    add("Number", "REG_DWORD", "43981");
    layer.rest();

    let file = layer.prefix.path().join("user.reg");
    let bytes = std::fs::read(&file).unwrap();
    let mut document = Document::parse(bytes, Format::Hive).unwrap();
    let key = "$['Software\\\\Drift & Däughters\\\\Undertow [Bay]']";
    let letters = Letters::read(layer.prefix.path());
    assert_eq!(letters.leads_to('Z'), Some(Path::new("/")), "its own links");
    assert!(letters.leads_to('c').is_some_and(|c| c.ends_with("drive_c")));
    let names = letters.names();
    let bases = Bases { names, letters: vec![letters], ..Bases::default() };

    let place = document.find_one(&format!("{key}.Folder")).unwrap();
    let old = document.leaf(&place, Side::Value).unwrap();
    assert_eq!(old, "Z:\\mnt\\old drive\\Gäme");
    let (spelling, path) = Spelling::read(&old, &bases).unwrap();
    assert_eq!(path, Path::new("/mnt/old drive/Gäme"));
    let new = spelling.write(Path::new("/srv/日の出/it's 100% Gäme"), &bases).unwrap().0;
    assert_eq!(new, "Z:\\srv\\日の出\\it's 100% Gäme");
    let saves = document.find_one(&format!("{key}.Expand")).unwrap();
    let (spelling, path) = Spelling::read(&document.leaf(&saves, Side::Value).unwrap(), &bases).unwrap();
    assert!(path.ends_with("saves") && path.starts_with(layer.prefix.path()), "{}", path.display());
    let moved = spelling.write(&path.with_file_name("moved saves"), &bases).unwrap().0;
    assert_eq!(moved, "%USERPROFILE%\\moved saves");

    for (name, text) in [
        ("Folder", new.as_str()),
        ("Expand", &moved),
        ("Many[1]", "Z:\\srv\\zw\"ei"),
        ("Number", "7"),
        ("['Quoted \"name\"']", "tab\there, \u{1} and 🚢1"),
    ] {
        let at = if name.starts_with('[') { format!("{key}{name}") } else { format!("{key}.{name}") };
        let place = document.find_one(&at).unwrap_or_else(|e| panic!("{e}"));
        let bytes = document.replace(&place, Side::Value, text, None).unwrap();
        document = Document::parse(bytes, Format::Hive).unwrap();
    }
    std::fs::write(&file, document.bytes()).unwrap();

    let said = layer.reg(&["query", KEY]);
    let says = |name: &str| {
        let line =
            said.lines().find(|line| line.trim_start().starts_with(name)).unwrap_or_else(|| panic!("{name}: {said}"));
        line.split("    ").last().unwrap().to_string()
    };
    let folder = says("Folder");
    // Its console may not know every sign; what it knows must be right, and its own file after it too.
    assert!(folder.starts_with("Z:\\srv\\") && folder.contains("it's 100%"), "{said}");
    assert_eq!(says("Expand"), "%USERPROFILE%\\moved saves", "{said}");
    assert_eq!(says("Many"), "Z:\\mnt\\one\\0Z:\\srv\\zw\"ei", "{said}");
    assert_eq!(says("Number"), "0x7", "{said}");
    // It writes its registry anew: what it understood of our text is what it writes.
    layer.reg(&["add", KEY, "/v", "Seen", "/t", "REG_SZ", "/d", "yes", "/f"]);
    layer.rest();
    let again = Document::parse(std::fs::read(&file).unwrap(), Format::Hive).unwrap();
    let says = |name: &str| again.leaf(&again.find_one(&format!("{key}{name}")).unwrap(), Side::Value).unwrap();
    assert_eq!(says(".Seen"), "yes", "it has written");
    assert_eq!(says(".Folder"), new);
    assert_eq!(says(".Expand"), moved);
    assert_eq!(says(".Many[1]"), "Z:\\srv\\zw\"ei");
    assert_eq!(says("['Quoted \"name\"']"), "tab\there, \u{1} and 🚢1");
}

/// Writes a link with the layer's own script host, has the layer load it again after a move, and reads what it traces of that.
#[test]
fn a_compatibility_layer_loads_the_links_that_it_wrote_and_we_rewrote() {
    let Some(layer) = Layer::new() else { return super::missing("Wine") };
    let scripts = tempfile::tempdir().unwrap();
    let run = |traced: &str, arguments: &[&str]| {
        let mut command = layer.command(&layer.program);
        let output = command.env("WINEDEBUG", traced).current_dir(&scripts).args(arguments).output();
        String::from_utf8_lossy(&output.unwrap().stderr).into_owned()
    };
    let script = "Set link = CreateObject(\"WScript.Shell\").CreateShortcut(\"C:\\fen.lnk\")\n\
                 link.TargetPath = \"C:\\Games\\Fen Two\\bin\\go.exe\"\n\
                 link.WorkingDirectory = \"C:\\Games\\Fen Two\"\n\
                 link.Arguments = \"-data C:\\Games\\Fen Two\\data\"\nlink.Save\n";
    let drive = layer.prefix.path().join("drive_c");
    let _ = layer.command(&layer.program).args(["wineboot", "-i"]).output();
    std::fs::create_dir_all(drive.join("Games/Fen Two/bin")).unwrap();
    std::fs::write(drive.join("Games/Fen Two/bin/go.exe"), "MZ").unwrap();
    std::fs::write(scripts.path().join("make.vbs"), script).unwrap();
    run("-all", &["cscript", "//nologo", "make.vbs"]);
    let file = drive.join("fen.lnk");
    let before = std::fs::read(&file).unwrap();
    let mut document = Document::parse(before.clone(), Format::ShellLink).unwrap();
    let mut old = Vec::new();
    document.leaves(&mut |leaf| {
        if leaf.side == Side::Value && leaf.text.contains("Games\\Fen Two") {
            let written = document.written(&leaf.place, Side::Value).unwrap().to_string();
            old.push((leaf.place.clone(), leaf.text.to_string(), written));
        }
    });
    assert_eq!(old.len(), 4, "items, path, working folder, arguments: {old:?}");
    for (place, text, _) in &old {
        let new = text.replace("C:\\Games\\Fen Two", "Z:\\far\\down\\Fen Two");
        document =
            Document::parse(document.replace(place, Side::Value, &new, None).unwrap(), Format::ShellLink).unwrap();
    }
    std::fs::write(&file, document.bytes()).unwrap();
    let traced = run("-all,+shell", &["start", "/wait", "C:\\fen.lnk"]);
    for wanted in [r#"path L"Z:\\far\\down\\Fen Two\\bin\\go.exe""#, r#"Working Dir  -> L"Z:\\far\\down\\Fen Two""#] {
        assert!(traced.contains(wanted), "{wanted}: {traced}");
    }
    for (place, text, written) in &old {
        let made = document.replace(place, Side::Value, text, Some(written)).unwrap();
        document = Document::parse(made, Format::ShellLink).unwrap();
    }
    assert_eq!(document.bytes(), before);
}
