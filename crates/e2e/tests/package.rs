//! The Debian package in a fresh Debian that has neither compiler nor Node: installed, started, used and removed there. What
//! was kept stays, and where it is is said.

use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use yadori_e2e::{Display, until, until_within};

/// A Debian in a folder, with what it needs of this machine. All of it goes with its owner.
struct Debian {
    dir: tempfile::TempDir,
    mounted: Vec<PathBuf>,
}

/// As root, which a folder with a Debian in it takes.
fn as_root(words: &[&str]) -> Command {
    let root = rustix::process::getuid().is_root();
    let words: Vec<&str> = if root { words.to_vec() } else { [&["sudo"], words].concat() };
    let mut command = Command::new(words[0]);
    command.args(&words[1..]).stdin(Stdio::null());
    command
}

fn done(mut command: Command) -> String {
    let Output { status, stdout, stderr } =
        command.output().unwrap_or_else(|why| panic!("{command:?}: {why}"));
    let said = format!("{}{}", String::from_utf8_lossy(&stdout), String::from_utf8_lossy(&stderr));
    assert!(status.success(), "{command:?}: {said}");
    said
}

impl Debian {
    fn new() -> Self {
        let dir = tempfile::Builder::new().prefix("yadori-debian-").tempdir().unwrap();
        let inner = dir.path().join("debian");
        let place = inner.to_str().unwrap();
        let mut sites = Command::new("apt-get");
        sites.args(["indextargets", "--format", "$(SITE)", "Created-By: Packages"]);
        let sites = done(sites);
        let site = sites.lines().next().expect("a mirror of Debian's packages");
        done(as_root(&["debootstrap", "--variant=minbase", "bookworm", place, site]));
        let mut debian = Self { dir, mounted: Vec::new() };
        // It finds packages where this machine does.
        let copy = format!(
            "cp -r /etc/apt/sources.list* /etc/apt/apt.conf.d {place}/etc/apt/; cp -L /etc/resolv.conf {place}/etc/"
        );
        done(as_root(&["sh", "-c", &format!("{copy}; mkdir -p {place}/tmp/.X11-unix")]));
        for shared in ["proc", "dev", "tmp/.X11-unix"] {
            let at = inner.join(shared);
            done(as_root(&["mount", "--bind", &format!("/{shared}"), at.to_str().unwrap()]));
            debian.mounted.push(at);
        }
        debian
    }

    fn root(&self) -> PathBuf {
        self.dir.path().join("debian")
    }

    /// A command in it, as root.
    fn run(&self, line: &str) -> Command {
        let root = self.root();
        let mut command = as_root(&["chroot", root.to_str().unwrap()]);
        command.args(["env", "-i", "PATH=/usr/sbin:/usr/bin:/sbin:/bin", "DEBIAN_FRONTEND=noninteractive"]);
        command.args(["sh", "-c", line]);
        command
    }

    /// A command in it, as Ida.
    fn as_ida(&self, display: &Display, words: &[&str]) -> Command {
        let root = self.root();
        let mut command = as_root(&["chroot", "--userspec=ida:ida", root.to_str().unwrap()]);
        command.args([
            "env",
            "-i",
            "-C",
            "/home/ida",
            "HOME=/home/ida",
            "PATH=/usr/bin:/bin",
            "LANG=C.UTF-8",
        ]);
        command.arg(format!("DISPLAY={}", display.name())).args(words);
        command
    }
}

impl Drop for Debian {
    fn drop(&mut self) {
        for at in self.mounted.iter().rev() {
            let _ = as_root(&["umount", "-l", at.to_str().unwrap_or_default()]).status();
        }
        // Never through what is still shared.
        let root = self.root();
        let _ = as_root(&["rm", "-rf", "--one-file-system", root.to_str().unwrap_or_default()]).status();
    }
}

#[test]
fn the_package_works_where_nothing_is_built_and_leaves_what_was_kept() {
    let clone = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut make = Command::new("make");
    make.args(["-s", "BUILT=debug", "package"]).current_dir(&clone).stdin(Stdio::null());
    let made = done(make);
    let package =
        made.lines().rev().find(|line| line.ends_with(".deb")).expect("a package").trim().to_owned();
    let package = clone.join(package);

    let debian = Debian::new();
    let into = debian.root().join("yadori.deb");
    done(as_root(&["cp", package.to_str().unwrap(), into.to_str().unwrap()]));
    done(debian.run("apt-get update -qq && apt-get install -y -qq --no-install-recommends /yadori.deb"));
    done(debian.run("! command -v cc && ! command -v gcc && ! command -v cargo && ! command -v node"));
    done(debian.run("useradd --create-home ida"));

    let display = Display::start();
    let mut service = debian.as_ida(&display, &["yadorid"]);
    let mut service = service.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let yadori = |words: &[&str]| debian.as_ida(&display, &[&["yadori"], words].concat()).output().unwrap();
    until_within("the service", std::time::Duration::from_secs(90), || {
        yadori(&["status"]).status.success().then_some(())
    });
    let copied = "Kestrel Hut: 14 bunks, 山小屋";
    // Somebody outside copies on the display that both see.
    let mut outside = Display::at(&display.name());
    outside.copy_text(copied);
    until("the copy", || {
        let said = yadori(&["list"]);
        String::from_utf8_lossy(&said.stdout).contains("14 bunks").then_some(())
    });
    let taken = yadori(&["take", "1"]);
    assert!(taken.status.success());
    until("what was taken", || display.paste_text().filter(|text| text == copied));
    let found = yadori(&["doctor"]);
    let said = String::from_utf8_lossy(&found.stdout).into_owned();
    assert!(found.status.success() && said.contains("copies are kept"), "{said}");
    assert!(!said.contains("14 bunks") && !said.contains("/home/ida"), "{said}");
    assert!(yadori(&["autostart", "on"]).status.success());
    assert!(debian.root().join("home/ida/.config/autostart/yadorid.desktop").exists());
    assert!(yadori(&["stop"]).status.success());
    service.wait().unwrap();

    let said = done(debian.run("apt-get purge -y yadori"));
    assert!(said.contains("stays") && said.contains("~/.local/share/yadori"), "{said}");
    assert!(
        !debian.root().join("usr/bin/yadori").exists() && !debian.root().join("usr/bin/yadorid").exists()
    );
    let mut records = debian.run("ls /home/ida/.local/share/yadori/records");
    assert!(records.output().unwrap().status.success(), "what was kept is gone");
    // And it is all there again where the package is.
    done(debian.run("apt-get install -y -qq --no-install-recommends /yadori.deb"));
    let mut service = debian.as_ida(&display, &["yadorid"]);
    let mut service = service.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    until_within("the history", std::time::Duration::from_secs(90), || {
        String::from_utf8_lossy(&yadori(&["list"]).stdout).contains("14 bunks").then_some(())
    });
    assert!(yadori(&["stop"]).status.success());
    service.wait().unwrap();
}
