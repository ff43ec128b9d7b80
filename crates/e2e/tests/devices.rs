//! A person's own devices: real services with homes of their own, and a real hub between them.

use yadori_e2e::hub::{Hub, pair, until_exchanged};
use yadori_e2e::{Display, Service, until};

#[test]
fn what_is_copied_on_one_is_pasted_on_the_other() {
    let hub = Hub::open();
    let (mut office, mut valley) = (Display::start(), Display::start());
    let (host, guest) = (Service::on(&office.name()), Service::on(&valley.name()));
    let before = host.add(&["Bread: 12 loaves", "Gas: 3 bottles"]);
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    until("what was there before", || (guest.list(9).len() == 2).then_some(()));
    let ids: Vec<String> = guest.list(9).into_iter().map(|row| row.id).rev().collect();
    assert_eq!(ids, before, "the same clips, in the same order");

    let rope = "Rope: 40 m, from the upper hut";
    office.copy_text(rope);
    until("a paste on the other", || (valley.paste_text().as_deref() == Some(rope)).then_some(()));
    // And back; nothing loops.
    valley.copy_text("Thank you");
    until("a paste on the first", || (office.paste_text().as_deref() == Some("Thank you")).then_some(()));
    until_exchanged(&[&host, &guest]);
    let contents = |one: &Service| one.list(9).into_iter().map(|row| (row.id, row.head)).collect::<Vec<_>>();
    assert_eq!(contents(&host), contents(&guest));
    assert_eq!(contents(&host).len(), 4);
}
