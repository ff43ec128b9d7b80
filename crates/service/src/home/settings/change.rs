//! Changing settings: one at a time, in the file they are read from, which keeps its comments. What would not hold as a
//! whole is not written.

use std::fs;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use serde_json::Value as Json;
use toml_edit::{Array, DocumentMut, InlineTable, Item, Table, Value};

pub use super::known::{KNOWN, Known};
use crate::home::settings::{Changeable, SettingsError, check_text};

/// Why a setting is as it was.
#[derive(Debug, thiserror::Error)]
pub enum ChangeError {
    /// Nothing is called so.
    #[error("there is no setting `{0}`{1}")]
    Unknown(String, String),
    /// The value is none.
    #[error("`{0}` is {1}")]
    Value(&'static str, String),
    /// It would not hold.
    #[error(transparent)]
    Settings(#[from] SettingsError),
    /// The file as it is can't be changed.
    #[error("the configuration {0} has a mistake already: {1}; mend it first")]
    Broken(PathBuf, String),
    /// The file can't be written.
    #[error("the configuration {0} can't be written: {1}")]
    Unwritable(PathBuf, std::io::Error),
}

/// The setting with this name.
///
/// # Errors
/// Names the nearest one.
pub fn named(name: &str) -> Result<&'static Known, ChangeError> {
    let all = || KNOWN.iter();
    all().find(|one| one.name == name).ok_or_else(|| {
        let names: Vec<&str> = all().map(|one| one.name).collect();
        let near = yadori_core::text::near::nearest(name, names.iter().copied());
        let near = near.map(|near| format!("; did you mean `{near}`?")).unwrap_or_default();
        ChangeError::Unknown(name.to_owned(), near)
    })
}

/// The settings as they are written in a file: each name with its value, where it stands there.
///
/// # Errors
/// When the file is none.
pub fn written(text: &str) -> Result<Vec<(&'static Known, Json)>, toml::de::Error> {
    let json: Json = toml::from_str(text)?;
    let value = |known: &Known| known.name.split('.').try_fold(&json, |at, part| at.get(part)).cloned();
    let shown = KNOWN.iter();
    Ok(shown.filter_map(|known| Some((known, value(known)?))).collect())
}

fn as_value(json: &Json) -> Option<Value> {
    Some(match json {
        Json::Null => return None,
        Json::Bool(on) => Value::from(*on),
        Json::Number(number) => match number.as_i64() {
            Some(whole) => Value::from(whole),
            None => Value::from(number.as_f64()?),
        },
        Json::String(text) => Value::from(text.as_str()),
        Json::Array(list) => Value::Array(list.iter().map(as_value).collect::<Option<Array>>()?),
        Json::Object(all) => {
            let mut table = InlineTable::new();
            for (name, one) in all.iter().filter(|(_, one)| !one.is_null()) {
                table.insert(name, as_value(one)?);
            }
            Value::InlineTable(table)
        }
    })
}

/// A text of settings in which one is changed, or (`null`) taken out.
///
/// # Errors
/// Says what can't be.
pub fn with(text: &str, path: &Path, known: &'static Known, value: &Json) -> Result<String, ChangeError> {
    let mut document: DocumentMut = text
        .parse()
        .map_err(|why: toml_edit::TomlError| ChangeError::Broken(path.to_owned(), why.to_string()))?;
    let parts: Vec<&str> = known.name.split('.').collect();
    let (last, tables) = parts.split_last().map_or(("", &[][..]), |(last, tables)| (*last, tables));
    let mut at: &mut Table = document.as_table_mut();
    for part in tables {
        let item = at.entry(part).or_insert_with(|| Item::Table(Table::new()));
        if let Item::Value(Value::InlineTable(inline)) = item {
            *item = Item::Table(std::mem::take(inline).into_table());
        }
        at = item.as_table_mut().ok_or_else(|| ChangeError::Value(known.name, "in no table".into()))?;
    }
    match as_value(value) {
        None if value.is_null() => drop(at.remove(last)),
        None => return Err(ChangeError::Value(known.name, "no value that a setting can have".into())),
        Some(value) => match at.get_mut(last).and_then(Item::as_value_mut) {
            Some(old) => {
                // What stands around it stays: a comment behind it, its spaces.
                let decor = old.decor().clone();
                *old = value;
                *old.decor_mut() = decor;
            }
            None => drop(at.insert(last, Item::Value(value))),
        },
    }
    Ok(document.to_string())
}

/// Writes a text of settings in the place of a file, whole or not at all.
///
/// # Errors
/// The file is as it was then.
pub fn replace(path: &Path, text: &str) -> Result<(), ChangeError> {
    let failed = |why| ChangeError::Unwritable(path.to_owned(), why);
    // A link is followed: the file it points to is the one that is kept.
    let path = &fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    if let Some(parent) = path.parent() {
        fs::create_dir_all(parent).map_err(failed)?;
    }
    let beside = path.with_extension("toml.new");
    let write = || {
        let mut file =
            fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&beside)?;
        file.write_all(text.as_bytes())?;
        file.sync_all()?;
        fs::rename(&beside, path)
    };
    write().map_err(|why| {
        let _ = fs::remove_file(&beside);
        failed(why)
    })
}

/// The configuration file of a service that runs.
#[derive(Debug, Default)]
pub struct Config {
    /// Where it is.
    pub path: std::path::PathBuf,
    /// It is changed by one at a time: held meanwhile.
    pub changing: tokio::sync::Mutex<()>,
}

/// Changes settings in their file. Gives those that hold from now on.
///
/// # Errors
/// The file and the settings are as they were then.
pub fn change(path: &Path, changes: &[(&'static Known, Json)]) -> Result<Changeable, ChangeError> {
    let mut text = read(path)?;
    for (known, value) in changes {
        text = with(&text, path, known, value)?;
    }
    let changeable = check_text(&text, path)?;
    replace(path, &text)?;
    Ok(changeable)
}

/// What would hold with these changes; nothing is written.
///
/// # Errors
/// As [`change`].
pub fn try_change(path: &Path, changes: &[(&'static Known, Json)]) -> Result<Changeable, ChangeError> {
    let mut text = read(path)?;
    for (known, value) in changes {
        text = with(&text, path, known, value)?;
    }
    Ok(check_text(&text, path)?)
}

/// The file as it is; empty without one.
///
/// # Errors
/// When it can't be read.
pub fn read(path: &Path) -> Result<String, ChangeError> {
    match fs::read_to_string(path) {
        Ok(text) => Ok(text),
        Err(why) if why.kind() == std::io::ErrorKind::NotFound => Ok(String::new()),
        Err(cause) => Err(SettingsError::Unreadable { path: path.to_owned(), cause }.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_change_keeps_what_else_stands_in_the_file() {
        let text = "# mine\n[limits]\nclips = 500   # enough\n\n[chords]\npicker = \"Ctrl+Alt+J\"\n";
        let path = Path::new("config.toml");
        let changed = with(text, path, named("limits.clips").unwrap(), &json!(700)).unwrap();
        assert_eq!(changed, text.replace("500", "700"));
        let changed = with(&changed, path, named("limits.days").unwrap(), &json!("off")).unwrap();
        let changed = with(&changed, path, named("limits.clips").unwrap(), &Json::Null).unwrap();
        assert!(changed.contains("days = \"off\"") && !changed.contains("700"), "{changed}");
        let rules = json!([{ "program": "Mail", "then": "refuse", "name": null }]);
        let changed = with(&changed, path, named("rules").unwrap(), &rules).unwrap();
        assert!(check_text(&changed, path).is_ok(), "{changed}");
        let found = written(&changed).unwrap();
        let value =
            |name: &str| found.iter().find(|(known, _)| known.name == name).map(|(_, value)| value.clone());
        assert_eq!(value("rules"), Some(json!([{ "program": "Mail", "then": "refuse" }])));
        assert_eq!(value("limits.days"), Some(json!("off")));
        assert_eq!(value("limits.clips"), None);
        assert_eq!(value("chords.picker"), Some(json!("Ctrl+Alt+J")));
    }

    #[test]
    fn what_would_not_hold_is_not_written() {
        let dir = std::env::temp_dir().join(format!("yadori-settings-{}", std::process::id()));
        fs::create_dir_all(&dir).unwrap();
        let path = dir.join("config.toml");
        fs::write(&path, "[limits]\nclips = 500\n").unwrap();
        for (name, value) in [
            ("limits.clips", json!(0)),
            ("limits.clips", json!(-1)),
            ("limits.clips", json!("many")),
            ("limits.bytes", json!(1e300)),
            ("limits.kinds", json!({ "text": { "clips": 501 } })),
            ("rules", json!([{ "content": "(", "then": "keep" }])),
            ("orders", json!([{ "on": "daily 31:00" }])),
            ("picker.form", json!("window")),
            ("log.days", json!(0)),
            ("chords.picker", json!(7)),
        ] {
            let known = named(name).unwrap();
            assert!(change(&path, &[(known, value.clone())]).is_err(), "{name} {value}");
            assert_eq!(fs::read_to_string(&path).unwrap(), "[limits]\nclips = 500\n", "{name}");
        }
        assert!(named("limits.clip").unwrap_err().to_string().contains("`limits.clips`"));
        let changed = change(&path, &[(named("limits.clips").unwrap(), json!(80))]).unwrap();
        assert_eq!(changed.keeping.limits.clips, Some(80));
        assert_eq!(fs::read_dir(&dir).unwrap().count(), 1, "nothing else is left");
        fs::remove_dir_all(&dir).unwrap();
    }

    #[test]
    fn what_holds_without_a_setting_is_what_the_list_says() {
        let mut text = String::new();
        for known in KNOWN.iter().filter(|one| one.usual != "null") {
            let usual: Json = serde_json::from_str(known.usual).unwrap();
            text = with(&text, Path::new("config.toml"), known, &usual).unwrap();
        }
        assert_eq!(
            check_text(&text, Path::new("config.toml")).unwrap(),
            check_text("", Path::new("config.toml")).unwrap()
        );
    }
}
