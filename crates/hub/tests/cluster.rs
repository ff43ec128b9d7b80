//! Hubs on a Galera cluster of three nodes: pushes go on through any two while one is killed, nothing that was acknowledged
//! is lost, and what is repeated is recognised.

mod common;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use common::{Device, Hub, sent};

/// Devices that push at once, each at another hub first.
const DEVICES: usize = 3;

struct Cluster(PathBuf);

impl Cluster {
    /// Started, with the addresses of its nodes.
    fn start() -> (Self, Vec<String>) {
        // Within reach of everyone, as the nodes of a cluster that root starts run as nobody.
        let dir = std::env::temp_dir().join(format!("yadori-cluster-{}", std::process::id()));
        let cluster = Self(dir);
        let first = free_ports();
        let said = cluster.tool(&["start", &first.to_string()]);
        (cluster, said.lines().map(str::to_owned).collect())
    }

    fn tool(&self, arguments: &[&str]) -> String {
        let tool = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools/cluster");
        let done = Command::new(tool).arg(&self.0).args(arguments).output().unwrap();
        assert!(done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
        String::from_utf8(done.stdout).unwrap()
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        let tool = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools/cluster");
        let _ = Command::new(tool).arg(&self.0).arg("stop").output();
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// The first of some ports that nobody has now, ten of them for each node.
fn free_ports() -> u16 {
    let free = |port| std::net::TcpListener::bind(("127.0.0.1", port)).is_ok();
    let nodes = |first: u16| (1..=3).all(|node| (0..4).all(|n| free(first + 10 * node + n)));
    (20_100..28_000).step_by(50).find(|first| nodes(*first)).unwrap()
}

/// Pushes one record, at one hub after another, until it is taken.
fn push(device: &Device, hubs: &[Hub], first: usize, sequence: u64) {
    let body = sent(&[&device.record(sequence, b"oats")]);
    let until = Instant::now() + Duration::from_secs(90);
    for n in first.. {
        let answer = device.try_ask(&hubs[n % hubs.len()], "POST", "/records", &body);
        match answer.as_ref().map(|answer| answer.status) {
            Some(200) => return,
            None | Some(503) => assert!(Instant::now() < until, "nobody took record {sequence}"),
            Some(other) => panic!("record {sequence}: {other} {:?}", answer.unwrap().problem()),
        }
    }
}

#[test]
fn pushes_go_on_while_a_node_is_killed_and_nothing_acknowledged_is_lost() {
    let (cluster, urls) = Cluster::start();
    let hub = |url: &String| Hub::start(&format!("open = true\npace = 10000\n[database]\nurl = \"{url}\"\n"));
    let hubs: Vec<Hub> = urls.iter().map(hub).collect();
    let (acknowledged, enough) = (AtomicUsize::new(0), AtomicBool::new(false));
    let devices: Vec<Device> =
        (0..DEVICES).map(|n| Device::with_group(&hubs[0], n as u8 + 1, "").0).collect();
    let pushed: Vec<(Device, u64)> = std::thread::scope(|threads| {
        let all: Vec<_> = devices
            .into_iter()
            .enumerate()
            .map(|(n, device)| {
                let (hubs, acknowledged, enough) = (&hubs, &acknowledged, &enough);
                threads.spawn(move || {
                    let mut sequence = 0;
                    while !enough.load(Ordering::Relaxed) {
                        sequence += 1;
                        push(&device, hubs, n + sequence as usize % 2, sequence);
                        acknowledged.fetch_add(1, Ordering::Relaxed);
                    }
                    (device, sequence)
                })
            })
            .collect();
        let until = |more: usize| {
            let (from, began) = (acknowledged.load(Ordering::Relaxed), Instant::now());
            while acknowledged.load(Ordering::Relaxed) < from + more {
                assert!(began.elapsed() < Duration::from_secs(100), "pushes stand still");
                std::thread::sleep(Duration::from_millis(20));
            }
        };
        until(150);
        cluster.tool(&["kill", "2"]);
        until(300);
        cluster.tool(&["again", "2"]);
        until(150);
        enough.store(true, Ordering::Relaxed);
        all.into_iter().map(|one| one.join().unwrap()).collect()
    });
    for (device, last) in &pushed {
        for (n, hub) in hubs.iter().enumerate() {
            // What another node took may take a moment until it is here.
            let began = Instant::now();
            let all = loop {
                let all = device.all(hub);
                if all.len() as u64 >= *last || began.elapsed() > Duration::from_secs(20) {
                    break all;
                }
            };
            let sequences: Vec<u64> = all.iter().map(|(_, sequence)| *sequence).collect();
            assert_eq!(sequences, (1..=*last).collect::<Vec<_>>(), "at hub {n}: each once, in order");
            let numbers: BTreeSet<u64> = all.iter().map(|(number, _)| *number).collect();
            assert_eq!(numbers, (1..=*last).collect());
            let again = device.ask(hub, "POST", "/records", &sent(&[&device.record(*last, b"rye")]));
            assert_eq!(again.problem(), (409, "older".to_owned()));
        }
    }
}
