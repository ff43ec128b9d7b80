//! A machine whose clock is set a year ahead, or back: nothing is lost that shouldn't be, nothing is out of order.

use std::time::Duration;

use yadori_e2e::{Service, until, until_within};

fn heads(service: &Service) -> Vec<String> {
    service.list(200).into_iter().map(|row| row.head).collect()
}

fn clips(names: std::ops::Range<u32>) -> Vec<String> {
    names.map(|n| format!("note {n} of the warden")).collect()
}

fn add(service: &Service, texts: &[String]) -> Vec<String> {
    service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>())
}

#[test]
fn a_clock_a_year_ahead_takes_nothing_unasked_and_leaves_nothing_behind_when_it_is_right_again() {
    for many in [4, 70] {
        let mut service = Service::configured("[limits]\ndays = 30\n");
        add(&service, &clips(0..many));
        let newest_first = |names: &[String]| names.iter().rev().cloned().collect::<Vec<_>>();
        let mut known = clips(0..many);
        assert_eq!(heads(&service), newest_first(&known));
        service.stop();
        service.start_again_with_clock("+365d");
        let waits = until("the sweep to wait", || service.status()?.waits);
        assert_eq!(waits.clips, u64::from(many));
        // What is copied meanwhile is newest, and what is removed can be brought back.
        known.push("copied a year ahead".to_owned());
        let id = add(&service, &known[known.len() - 1..])[0].clone();
        assert_eq!(heads(&service), newest_first(&known));
        service.yadori(&["remove", &id]);
        service.yadori(&["undo"]);
        assert_eq!(heads(&service), newest_first(&known));
        service.stop();
        service.start_again_with_clock("+0");
        known.push("copied when it was right again".to_owned());
        add(&service, &known[known.len() - 1..]);
        let status = service.status().expect("a status");
        assert!(status.waits.is_none(), "{:?}", status.waits);
        assert_eq!(heads(&service), newest_first(&known));
        // An old removal by the clock ahead ends, and one of today can be taken back for its time.
        service.yadori(&["remove", "1"]);
        service.yadori(&["undo"]);
        assert_eq!(heads(&service), newest_first(&known));
        service.yadori(&["clear", "--yes"]);
        assert_eq!(heads(&service), Vec::<String>::new());
        service.yadori(&["undo"]);
        assert_eq!(heads(&service), newest_first(&known));
    }
}

#[test]
fn a_clock_a_year_behind_keeps_everything_in_order_and_ends_what_is_to_end() {
    let mut service = Service::configured("[limits]\ndays = 30\n[acts]\ngrace_minutes = 0.05\n");
    let mut known = clips(0..5);
    add(&service, &known);
    service.stop();
    service.start_again_with_clock("-365d");
    known.push("copied a year behind".to_owned());
    add(&service, &known[5..]);
    let newest_first = known.iter().rev().cloned().collect::<Vec<_>>();
    assert_eq!(heads(&service), newest_first);
    service.yadori(&["remove", "1"]);
    until_within("the end of the removal", Duration::from_secs(30), || {
        service.acts().is_empty().then_some(())
    });
    service.stop();
    service.start_again_with_clock("+0");
    assert_eq!(heads(&service), newest_first[1..]);
    assert!(service.status().expect("a status").waits.is_none());
}
