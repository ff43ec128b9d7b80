//! What the warden's office copied in three weeks: bookings, supply orders, weather and trail notices, permit forms,
//! replies in several languages, maps and sketches. Everything is invented; addresses use example.org, telephone
//! numbers the ranges reserved for fiction.

/// What one clip holds.
#[derive(Debug, Clone)]
pub(crate) enum What {
    /// A text.
    Text(String),
    /// A text and its html.
    Formatted(String, String),
    /// A picture, by the seed of its drawing.
    Picture(u32),
    /// Picture or other files in the office's folder.
    Files(Vec<String>),
}

/// One clip of the demo.
#[derive(Debug, Clone)]
pub(crate) struct Clip {
    /// What it holds.
    pub(crate) what: What,
    /// The program it came from.
    pub(crate) program: &'static str,
    /// The title of the window.
    pub(crate) window: String,
    /// Minutes before now.
    pub(crate) minutes_ago: i64,
}

const HUTS: [&str; 3] = ["Kestrel Hut", "Larch Hut", "Stone Ford Hut"];
const GUESTS: [&str; 24] = [
    "A. Lindqvist",
    "Brunner family",
    "M. Okonkwo",
    "Section Weidtal",
    "J. Arnaud",
    "P. Silvestri",
    "R. Tanaka",
    "E. Novák",
    "C. O'Dowd",
    "H. Papadaki",
    "School group Ostra",
    "L. Ferreira",
    "T. Mäkinen",
    "N. Petrov",
    "S. Haddad",
    "Youth club Brenn",
    "I. Kowalska",
    "D. Moreau",
    "F. Rossi",
    "K. Yamamoto",
    "G. Horvat",
    "Trail team South",
    "V. Popescu",
    "B. Eriksen",
];
const GOODS: [(&str, &str); 16] = [
    ("Gas 11 kg", "bottle"),
    ("Candles", "box"),
    ("Oats 25 kg", "sack"),
    ("Lamp oil 10 l", "can"),
    ("Potatoes", "crate"),
    ("Coffee 5 kg", "tin"),
    ("Soap", "box"),
    ("Wool blankets", "piece"),
    ("Lentils 10 kg", "sack"),
    ("Firewood", "stack"),
    ("First-aid refill", "set"),
    ("Dish towels", "dozen"),
    ("Salt blocks", "piece"),
    ("Rope 9 mm", "coil"),
    ("Batteries D", "pack"),
    ("Tea", "tin"),
];
const LINKS: [(&str, &str); 20] = [
    ("https://weather.example.org/ridge/hourly?hut=kestrel", "Ridge forecast"),
    ("https://weather.example.org/valley/week", "Week ahead"),
    ("https://permits.example.org/south-face/closures", "Closures"),
    ("https://permits.example.org/forms/overnight-camp", "Overnight permits"),
    ("https://avalanche.example.org/bulletin/today", "Avalanche bulletin"),
    ("https://trails.example.org/status/ridge-path", "Ridge path"),
    ("https://trails.example.org/status/lower-bridge", "Lower bridge"),
    ("https://supplies.example.org/basket/4471", "Supply basket"),
    ("https://helicopter.example.org/slots?week=23", "Supply flights"),
    ("https://bookings.example.org/calendar/larch", "Calendar, Larch"),
    ("https://bookings.example.org/calendar/kestrel", "Calendar, Kestrel"),
    ("https://maps.example.org/sheet/1274-south", "Sheet 1274"),
    ("https://water.example.org/samples/stone-ford", "Water samples"),
    ("https://radio.example.org/repeater/ridge", "Radio repeater"),
    ("https://trains.example.org/valley/timetable", "Timetable"),
    ("https://association.example.org/wardens/handbook#arrival", "Handbook"),
    ("https://association.example.org/minutes/spring", "Spring minutes"),
    ("https://photos.example.org/album/opening-week", "Album"),
    ("https://forms.example.org/inspection/fire-extinguishers", "Inspection"),
    ("mailto:warden@example.org?subject=Bunks%20for%20eight", "Mail"),
];
const REPLIES: [(&str, &str); 14] = [
    (
        "Dear group,\n\nyour booking for the night of 14 June is confirmed: eight bunks in the east room, half board, arrival before 18:00. Water is boiled at the hut; please bring sheet sleeping bags.\n\nThe path from the lower car park is clear of snow above 1,900 m since Tuesday.\n\nThe wardens",
        "Re: Bunks for eight",
    ),
    (
        "Liebe Gäste,\n\ndie Hütte öffnet am 1. Juni. Bitte bringt Hüttenschlafsäcke mit; Kartenzahlung ist vor dem 10. Juni nicht möglich.\n\nHerzliche Grüße\nDie Hüttenwarte",
        "Hüttenöffnung",
    ),
    (
        "Bonjour,\n\nnous confirmons trois couchettes pour la nuit du 21 juin, demi-pension. Merci d’arriver avant 18 h.\n\nÀ bientôt au refuge",
        "Réservation 21 juin",
    ),
    (
        "Buongiorno,\n\nil sentiero alto è ancora chiuso per neve; quello basso è aperto. Vi aspettiamo sabato.\n\nI custodi",
        "Sentiero alto",
    ),
    ("山小屋の予約は三名、六月十四日、夕食付きでお願いします。", "予約"),
    ("ご予約ありがとうございます。到着は十八時までにお願いいたします。", "Re: 予約"),
    ("Καλησπέρα, θα φτάσουμε τέσσερα άτομα στις 17:30. Δύο είμαστε χορτοφάγοι.", "Άφιξη"),
    ("Добрый день! Подскажите, пожалуйста, открыт ли верхний мост после 5 июня?", "Верхний мост"),
    ("Dobrý den, potvrzujeme deset míst na víkend, přijedeme v pátek odpoledne.", "Rezervace"),
    ("مرحبا، نود حجز أربعة أسرّة ليلة الثاني عشر من يونيو مع العشاء.", "حجز"),
    ("안녕하세요, 6월 20일 두 명 예약하고 싶습니다. 채식 식사가 가능한가요?", "예약 문의"),
    ("Hyvää päivää, vahvistamme varauksen kahdelle: 3.–5. kesäkuuta, puolihoito.", "Varaus"),
    ("नमस्ते, क्या 18 जून को छह बिस्तर उपलब्ध हैं?", "बुकिंग"),
    (
        "Arrive before 18:00, boots off at the door, lamps out at 22:00. Take your rubbish down with you. 🥾🏔️",
        "House rules",
    ),
];
const NOTICES: [&str; 18] = [
    "Ridge path: snow fields between the second and third cairn, axe advised until further notice.",
    "Lower bridge closed for repair, Monday to Wednesday. Detour by the ford, knee-deep in the morning.",
    "Thunderstorms expected from 15:00; groups on the south face should be back by noon.",
    "Rockfall below the notch: keep left of the yellow marks.",
    "Water at Stone Ford tested clean on Thursday. Boil until the second sample is in.",
    "Supply flight moved to Friday 07:30, loads to be weighed the evening before.",
    "Season opens 1 June at Larch and Stone Ford, 8 June at Kestrel.",
    "Radio check at 19:00 every evening, channel 3, then 7.",
    "Stove pipe at Larch swept and signed off; next inspection in October.",
    "East room: bunks 9 to 12 get new mattresses before opening.",
    "Dogs only in the wood shed, on a lead at all times.",
    "Solar panel at Kestrel: 41 V at noon, one string still dark.",
    "Key for the emergency room hangs behind the map board.",
    "The upper spring runs again; pipe flushed twice.",
    "Avalanche level 2 above 2,400 m, wet slides in the afternoon.",
    "Helper weekend: fourteen people, four with saws, one cook.",
    "Lost: grey glove, left hand, with initials. Found: two cups.",
    "Wind at the ridge 70 km/h in gusts, easing after midnight.",
];
const SNIPPETS: [&str; 16] = [
    "+00 555 0142",
    "+00 555 0100",
    "8",
    "half board",
    "14 – 16 June",
    "east room",
    "A. Lindqvist",
    "KES-2031-0614",
    "LAR-2031-0602",
    "46.5281, 8.0119",
    "vegetarian × 2",
    "EX00 0000 0000 0000 0000 0",
    "1,240.50",
    "boots off, lamps out",
    "Group leader",
    "warden@example.org",
];

/// What hangs at the door, as a picture.
pub(crate) const NOTICE: [&str; 5] = [
    "Kestrel Hut",
    "Spring water: boil it until 20 June",
    "Ridge path closed above the lower bridge",
    "Drying room: ask the warden, 16:00 to 18:00",
    "Gas bottles go back to Larch Hut on Fridays",
];

/// A small generator of numbers, always the same ones.
struct Dice(u64);

impl Dice {
    fn throw(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % sides.max(1)
    }

    fn pick<'a, T>(&mut self, from: &'a [T]) -> &'a T {
        &from[self.throw(from.len())]
    }
}

/// All clips, oldest first. `folder` holds the files that clips refer to; `minute` is the minute of the day now.
pub(crate) fn clips(folder: &str, minute: i64) -> Vec<Clip> {
    let mut dice = Dice(20_310_514);
    let mut out = Vec::new();
    let mut sketch = 0;
    for day in (0..21_i64).rev() {
        let sittings: &[i64] = match day {
            0 => &[95],
            _ if day % 7 >= 5 => &[9 * 60 + 10],
            _ => &[8 * 60 + 5, 10 * 60 + 40, 14 * 60 + 15],
        };
        for (n, start) in sittings.iter().enumerate() {
            // Times count back from now, so that the demo never lies in the future.
            let mut ago = if day == 0 { *start } else { day * 24 * 60 + minute - start };
            let length = 6 + dice.throw(9);
            for step in 0..length {
                if ago < 3 {
                    break;
                }
                let (what, program, window) =
                    one(&mut dice, folder, &mut sketch, (day as usize) * 31 + n * 11 + step);
                out.push(Clip { what, program, window, minutes_ago: ago });
                ago -= 1 + i64::try_from(dice.throw(8)).unwrap_or(0);
            }
        }
    }
    out
}

fn one(dice: &mut Dice, folder: &str, sketch: &mut u32, n: usize) -> (What, &'static str, String) {
    let hut = *dice.pick(&HUTS);
    match n % 20 {
        0 | 7 => {
            let (address, title) = *dice.pick(&LINKS);
            (What::Text(varied(address, dice)), "Browser", title.to_owned())
        }
        3 | 12 => {
            let (address, title) = LINKS[n % LINKS.len()];
            (What::Text(varied(address, dice)), "Browser", title.to_owned())
        }
        1 | 14 => {
            let (text, subject) = REPLIES[(n / 3) % REPLIES.len()];
            let text = if n.is_multiple_of(3) {
                text.to_owned()
            } else {
                format!("{text}\n\n— {}", dice.pick(&GUESTS))
            };
            let html: String =
                text.split("\n\n").map(|part| format!("<p>{}</p>", part.replace('\n', "<br>"))).collect();
            let html = html.replacen("confirmed", "<b>confirmed</b>", 1).replacen(
                "before 18:00",
                "<i>before 18:00</i>",
                1,
            );
            (What::Formatted(text, html), "Mail", subject.to_owned())
        }
        4 => {
            *sketch += 1;
            let name =
                *dice.pick(&["Ridge path", "South face", "Lower bridge", "Spring and pipe", "Bunk plan"]);
            (What::Picture(*sketch), "Drawing", format!("{name}, sketch"))
        }
        9 => {
            let names = [
                "permit-form.pdf",
                "route-map-south.png",
                "bunk-list.ods",
                "season-poster.png",
                "water-sample.txt",
                "ridge-path.gpx",
            ];
            let first = dice.throw(names.len());
            let count = 1 + dice.throw(3);
            let files =
                (0..count).map(|k| format!("{folder}/{}", names[(first + k) % names.len()])).collect();
            (What::Files(files), "Files", "permits/2031".to_owned())
        }
        5 | 16 => {
            let rows: Vec<(String, usize, &str)> = (0..4)
                .map(|_| {
                    let (goods, unit) = *dice.pick(&GOODS);
                    (goods.to_owned(), 1 + dice.throw(40), unit)
                })
                .collect();
            let text: Vec<String> =
                rows.iter().map(|(goods, count, unit)| format!("{goods}\t{count}\t{unit}")).collect();
            let cells: String = rows
                .iter()
                .map(|(goods, count, unit)| {
                    format!("<tr><td>{goods}</td><td align=right>{count}</td><td>{unit}</td></tr>")
                })
                .collect();
            (
                What::Formatted(text.join("\n"), format!("<table>{cells}</table>")),
                "Sheet",
                format!("Supply order, {hut}"),
            )
        }
        2 | 10 => (What::Text(SNIPPETS[n % SNIPPETS.len()].to_owned()), "Form", "Booking form".to_owned()),
        18 => {
            let code = format!("{}-2031-{:04}", &hut[..3].to_uppercase(), 600 + dice.throw(90));
            (What::Text(code), "Form", "Booking form".to_owned())
        }
        11 => {
            let (height, time) = (1_600 + 10 * dice.throw(120), 5 + dice.throw(14));
            let text = format!(
                "{hut}, {time}:00: {}°, wind {} km/h, snow line {height} m",
                dice.throw(16),
                5 + dice.throw(60)
            );
            (What::Text(text), "Writer", "Weather log".to_owned())
        }
        6 | 13 => (
            What::Text(format!("{hut}: {}", NOTICES[(n / 2) % NOTICES.len()])),
            "Writer",
            "Season notes".to_owned(),
        ),
        _ => {
            let (guest, bunks, first) = (*dice.pick(&GUESTS), 1 + dice.throw(12), 1 + dice.throw(26));
            let board = *dice.pick(&["half board", "bed only", "half board, two vegetarian", "packed lunch"]);
            let text = format!(
                "{hut}: {guest}, {bunks} bunks, {first} – {} June, {board}",
                first + 1 + dice.throw(3)
            );
            (What::Text(text), "Writer", "Bookings".to_owned())
        }
    }
}

fn varied(address: &str, dice: &mut Dice) -> String {
    match dice.throw(3) {
        0 => address.to_owned(),
        _ if address.contains('?') => format!("{address}&day={}", 1 + dice.throw(28)),
        _ => format!("{address}?day={}", 1 + dice.throw(28)),
    }
}

/// A text that the office keeps: its title, its words, its drawer (or none: a favorite), its color.
pub(crate) type Kept = (&'static str, &'static str, Option<&'static str>, Option<&'static str>);

/// The drawers of the office: name, color, group.
pub(crate) const DRAWERS: [(&str, &str, Option<&str>); 6] = [
    ("Replies", "blue", None),
    ("Huts", "green", None),
    ("Permits", "amber", None),
    ("Suppliers", "red", None),
    ("Season opening", "teal", Some("Checklists")),
    ("Closing the hut", "violet", Some("Checklists")),
];

/// Dividers: drawer, words, and the title of the clip they stand before.
pub(crate) const DIVIDERS: [(&str, &str, &str); 3] = [
    ("Replies", "Bookings", "Booking confirmed"),
    ("Replies", "Other languages", "Réservation confirmée"),
    ("Huts", "Numbers", "Hut line"),
];

/// What the office keeps.
pub(crate) const KEPT: [Kept; 26] = [
    (
        "Arrival rules",
        "Arrive before 18:00, boots off at the door, sheet sleeping bags only. The drying room closes at 22:00.",
        None,
        None,
    ),
    (
        "Booking held",
        "Dear {=ask \"Name\"},\n\nyour {=ask \"Bunks\" \"2\"} bunks are held until {=date +14d long}. Please confirm by mail or \
         by telephone: {=clip \"Hut line\"}.\n\nThe warden's office, {=date long}",
        None,
        Some("blue"),
    ),
    ("Office address", "Warden's office, 3 Mill Lane, Weidtal", None, None),
    ("Account for deposits", "XX00 0000 0000 0000 0142, Three Huts", None, None),
    (
        "Booking confirmed",
        "Dear guest, your booking is confirmed. Half board, arrival before 18:00. Water is boiled at the hut.",
        Some("Replies"),
        Some("green"),
    ),
    (
        "Booking declined",
        "Dear guest, all bunks are taken that night. Larch Hut, two hours further, still has room.",
        Some("Replies"),
        Some("red"),
    ),
    ("Deposit received", "Thank you, your deposit has arrived on {=date}.", Some("Replies"), None),
    ("Dogs", "Dogs sleep in the shed, not in the rooms; bring a blanket for them.", Some("Replies"), None),
    (
        "Réservation confirmée",
        "Bonjour, votre réservation est confirmée. Demi-pension, arrivée avant 18 h.",
        Some("Replies"),
        None,
    ),
    (
        "Buchung bestätigt",
        "Guten Tag, Ihre Buchung ist bestätigt. Halbpension, Ankunft vor 18 Uhr.",
        Some("Replies"),
        None,
    ),
    ("予約確認", "ご予約を承りました。二食付き、十八時までにお越しください。", Some("Replies"), None),
    (
        "Kestrel Hut, facts",
        "Kestrel Hut: 2,140 m, 14 bunks, drying room, open 1 June to 10 October.",
        Some("Huts"),
        None,
    ),
    (
        "Larch Hut, facts",
        "Larch Hut: 1,870 m, 22 bunks, stove in every room, open all year.",
        Some("Huts"),
        None,
    ),
    (
        "Stone Ford Hut, facts",
        "Stone Ford Hut: 1,520 m, 8 bunks, no warden in winter, key at the office.",
        Some("Huts"),
        None,
    ),
    ("Hut line", "+00 555 0100", Some("Huts"), None),
    ("Rescue", "+00 555 0112", Some("Huts"), Some("red")),
    ("Weather desk", "+00 555 0171", Some("Huts"), None),
    (
        "Overnight permit, wording",
        "Overnight stay outside the hut for one night, no fire, tents after 19:00.",
        Some("Permits"),
        None,
    ),
    ("Permit office", "permits@example.org", Some("Permits"), None),
    ("Forms", "https://permits.example.org/forms/overnight-camp", Some("Permits"), None),
    ("Gas", "Brenn Gas, order line +00 555 0133, by Tuesday noon", Some("Suppliers"), None),
    ("Bread", "Bakery Ostra, orders@bakery.example.org, until 16:00 the day before", Some("Suppliers"), None),
    (
        "Helicopter",
        "Drop flights: Valley Air, +00 555 0166, 700 kg a sling",
        Some("Suppliers"),
        Some("amber"),
    ),
    ("Order, usual", "Gas 11 kg × 6, candles × 40, oats 25 kg, lamp oil 10 l", Some("Suppliers"), None),
    (
        "Water",
        "Open the upper valve first, flush ten minutes, take the sample bottle down.",
        Some("Season opening"),
        None,
    ),
    (
        "Shutters",
        "Shutters closed, stove cold, valve drained, key in the box at the office.",
        Some("Closing the hut"),
        None,
    ),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_demo_has_about_four_hundred_clips_of_every_kind_over_three_weeks() {
        let clips = clips("/office", 10 * 60);
        // Some of what an office copies it copies again: that counts up instead of appearing twice.
        let distinct: std::collections::HashSet<String> =
            clips.iter().map(|clip| format!("{:?}", clip.what)).collect();
        assert!((360..=440).contains(&distinct.len()), "{} distinct of {}", distinct.len(), clips.len());
        assert!(clips.iter().all(|clip| clip.minutes_ago >= 3 && clip.minutes_ago <= 22 * 24 * 60));
        assert!(clips.iter().filter(|clip| matches!(clip.what, What::Picture(..))).count() >= 12);
        assert!(clips.iter().filter(|clip| matches!(clip.what, What::Files(_))).count() >= 12);
    }

    #[test]
    fn every_address_is_of_a_reserved_name() {
        for (address, _) in LINKS {
            assert!(address.contains("example.org"), "{address}");
        }
    }
}
