//! The README's first steps, word for word, in a new home on a desktop of their own; and its way in and out of a computer.

use std::path::Path;
use std::process::{Command, Output, Stdio};

use yadori_e2e::{Display, Service, until};

fn readme() -> String {
    std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../README.md")).unwrap()
}

/// The lines of the code that follows a heading, without what explains them: the first such block, or all of the section.
fn block(heading: &str, all: bool) -> Vec<String> {
    let text = readme();
    let section = text.split(&format!("\n## {heading}\n")).nth(1).unwrap_or_else(|| panic!("no {heading}"));
    let section = section.split("\n## ").next().unwrap();
    let is_code = |line: &&str| line.starts_with("    ");
    let lines: Vec<&str> = section.lines().skip_while(|line| !is_code(line)).collect();
    let some = lines.iter().take_while(|line| all || is_code(line)).filter(|line| is_code(line));
    some.map(|line| line.split(" #").next().unwrap_or(line).trim().to_owned()).collect()
}

/// Runs a line in a shell, `yadori` and `yadorid` being the programs that were built.
fn run(line: &str, service: &Service, folder: &Path, display: &Display, typed: &str) -> Output {
    let client = service.client_command(&[]).get_program().to_owned();
    let programs = Path::new(&client).parent().unwrap().display().to_string();
    let line = line.replace("target/release/", &format!("{programs}/"));
    let wrapped = if typed.is_empty() {
        line.clone()
    } else {
        format!("printf '{typed}' | script -qec '{line}' /dev/null")
    };
    Command::new("bash")
        .args(["-c", &wrapped])
        .env("YADORI_HOME", service.home())
        .env("DISPLAY", display.name())
        // A person's own editor.
        .env("EDITOR", "sed -i s/first/First/")
        .env_remove("VISUAL")
        .env("PATH", format!("{programs}:{}", std::env::var("PATH").unwrap()))
        .env("HOME", folder)
        // The toolchain stays where it is.
        .envs(toolchain())
        .env_remove("XDG_CONFIG_HOME")
        .current_dir(folder)
        .stdin(Stdio::null())
        .output()
        .unwrap()
}

/// Where cargo and rustup keep their things.
fn toolchain() -> Vec<(&'static str, std::path::PathBuf)> {
    let home = std::path::PathBuf::from(std::env::var_os("HOME").unwrap_or_default());
    let place = |name: &'static str, usual: &str| {
        (name, std::env::var_os(name).map_or_else(|| home.join(usual), Into::into))
    };
    vec![place("CARGO_HOME", ".cargo"), place("RUSTUP_HOME", ".rustup")]
}

#[test]
fn the_first_steps_work_as_they_are_written() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let folder = tempfile::tempdir().unwrap();
    for text in ["the first copy", "T. Mäkinen, 7 bunks", "- gas\n- oil"] {
        display.copy_text(text);
        until("the copy", || service.list(1).first().filter(|row| row.head == text).map(|_| ()));
    }
    let steps = block("First steps", false);
    assert!(steps.len() >= 20 && steps[0] == "make run", "{steps:?}");
    for line in steps.iter().filter(|line| *line != "make run") {
        // A browser that opens stays open; what is asked is answered with yes.
        let line = line.replace("console --open", "console");
        let typed = if line.contains(" clear ") { "y\\n" } else { "" };
        let done = run(&line, &service, folder.path(), &display, typed);
        let said =
            format!("{}{}", String::from_utf8_lossy(&done.stdout), String::from_utf8_lossy(&done.stderr));
        assert!(done.status.success(), "{line}: {said}");
        assert!(!said.trim().is_empty(), "{line} says nothing");
        if line.ends_with("--tidy unlist,one-line") {
            // The third newest is the first copy.
            until("it", || display.paste_text().filter(|text| text == "the first copy"));
        }
        if line.ends_with(" edit f1") {
            assert!(service.yadori(&["show", "f1"]).contains("the First copy"));
        }
    }
    assert!(folder.path().join("all.zip").exists() && folder.path().join("all.tar").exists());
}

/// The installing itself, with the programs as the tests have built them.
fn make(line: &str) -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    line.replace("make ", &format!("make -s -C {} BUILT=debug ", root.display()))
}

#[test]
fn what_is_installed_as_it_is_written_is_there_and_goes_as_it_is_written() {
    let display = Display::start();
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    for name in [".local/share/yadori", ".config/yadori", ".local/state/yadori"] {
        std::fs::create_dir_all(folder.path().join(name)).unwrap();
    }
    let steps = block("On your computer", true);
    let (install, remove) = steps.split_at(3);
    let mut there = Vec::new();
    for line in install {
        let done = run(&make(line), &service, folder.path(), &display, "");
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{line}: {said}{}", String::from_utf8_lossy(&done.stdout));
    }
    files(folder.path(), &mut there);
    for name in [
        "yadori",
        "yadorid",
        "yadori-take.1.gz",
        "_yadori",
        "yadori.fish",
        "yadorid.service",
        "yadorid.desktop",
    ] {
        assert!(there.iter().any(|one| one == name), "{name}: {there:?}");
    }
    let at = |path: &str| std::fs::read_to_string(folder.path().join(path)).unwrap();
    let bin = folder.path().join(".local/bin").display().to_string();
    assert!(at(".local/lib/systemd/user/yadorid.service").contains(&format!("ExecStart={bin}/yadorid\n")));
    assert!(at(".local/share/bash-completion/completions/yadori").contains("complete"));
    assert_eq!(remove.len(), 3, "{steps:?}");
    for line in remove {
        let done = run(&make(line), &service, folder.path(), &display, "");
        assert!(done.status.success(), "{line}: {}", String::from_utf8_lossy(&done.stderr));
    }
    let mut left = Vec::new();
    files(folder.path(), &mut left);
    assert_eq!(left, Vec::<String>::new());
}

fn files(folder: &Path, all: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).unwrap().filter_map(Result::ok) {
        if entry.path().is_dir() {
            files(&entry.path(), all);
        } else {
            all.push(entry.file_name().to_string_lossy().into_owned());
        }
    }
}
