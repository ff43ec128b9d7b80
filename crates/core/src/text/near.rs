//! The name that somebody meant who wrote another.

/// Letters to change, add or leave out between two names.
fn distance(one: &str, other: &str) -> usize {
    let other: Vec<char> = other.chars().collect();
    let mut row: Vec<usize> = (0..=other.len()).collect();
    for (n, letter) in one.chars().enumerate() {
        let mut before = row[0];
        row[0] = n + 1;
        for (at, counterpart) in other.iter().enumerate() {
            let change = before + usize::from(letter != *counterpart);
            before = row[at + 1];
            row[at + 1] = change.min(row[at] + 1).min(before + 1);
        }
    }
    row[other.len()]
}

/// The name that is most like what was written, if one is.
pub fn nearest(written: &str, names: impl Iterator<Item = &'static str>) -> Option<&'static str> {
    let short: String = written.chars().take(40).collect();
    let near = names.map(|known| (distance(&short, known), known)).min();
    near.filter(|(distance, known)| *distance <= known.len() / 2).map(|(_, known)| known)
}
