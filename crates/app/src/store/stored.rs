//! Sheets and changes as they are stored: JSON of a version. What an older program wrote is brought up to today's form,
//! version by version, when it is read; what a newer one wrote is refused.

use rhizograph_core::edit::Change;
use rhizograph_core::model::sheet::Sheet;
use serde::de::DeserializeOwned;
use serde_json::Value;
use serde_json::value::RawValue;

/// The version that is written.
pub const VERSION: i16 = 1;
/// The first there was.
const FIRST: i16 = 1;

/// Brings what a version wrote into the form of the next.
type Upgrade = fn(&mut Value);

/// Of sheets, from the first version on.
const SHEETS: [Upgrade; (VERSION - FIRST) as usize] = [];
/// Of changes, from the first version on.
const CHANGES: [Upgrade; (VERSION - FIRST) as usize] = [];

/// Why something stored cannot be read.
#[derive(Debug, thiserror::Error)]
pub enum Unreadable {
    #[error("it is stored in form {0}, which a newer program wrote; this one reads up to {VERSION}")]
    Newer(i16),
    #[error("it is stored in form {0}, which there never was")]
    Unknown(i16),
    #[error("it is damaged: {0}")]
    Damaged(#[from] serde_json::Error),
}

impl From<Unreadable> for sqlx::Error {
    fn from(e: Unreadable) -> sqlx::Error {
        sqlx::Error::Decode(Box::new(e))
    }
}

/// A sheet that a version wrote.
pub fn sheet(json: &RawValue, version: i16) -> Result<Sheet, Unreadable> {
    read(json, version, &SHEETS)
}

/// A change that a version wrote.
pub fn change(json: &RawValue, version: i16) -> Result<Change, Unreadable> {
    read(json, version, &CHANGES)
}

/// Reads what a version wrote; `upgrades` lead from the first version to the last.
fn read<T: DeserializeOwned>(json: &RawValue, version: i16, upgrades: &[Upgrade]) -> Result<T, Unreadable> {
    let last = FIRST + upgrades.len() as i16;
    if version > last {
        return Err(Unreadable::Newer(version));
    }
    let missing = usize::try_from(version - FIRST).map_err(|_| Unreadable::Unknown(version))?;
    if version == last {
        return Ok(serde_json::from_str(json.get())?);
    }
    let mut value: Value = serde_json::from_str(json.get())?;
    upgrades[missing..].iter().for_each(|upgrade| upgrade(&mut value));
    Ok(serde_json::from_value(value)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde::Deserialize;
    use serde_json::json;

    #[derive(Debug, PartialEq, Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Made {
        width: f64,
        colour: String,
    }

    /// The first form had a half width, the second no colour.
    const MADE: [Upgrade; 2] = [
        |v| {
            let half = v.as_object_mut().and_then(|o| o.remove("half")).and_then(|h| h.as_f64()).unwrap_or(0.0);
            v["width"] = json!(2.0 * half);
        },
        |v| v["colour"] = json!("black"),
    ];

    fn raw(v: Value) -> Box<RawValue> {
        serde_json::value::to_raw_value(&v).expect("a value is JSON")
    }

    #[test]
    fn each_older_form_is_brought_up_to_the_last() {
        let black = Made { width: 6.0, colour: "black".into() };
        assert_eq!(read::<Made>(&raw(json!({"half": 3.0})), 1, &MADE).ok(), Some(black));
        let is = Made { width: 4.0, colour: "black".into() };
        assert_eq!(read::<Made>(&raw(json!({"width": 4.0})), 2, &MADE).ok(), Some(is));
        let is = Made { width: 4.0, colour: "red".into() };
        assert_eq!(read::<Made>(&raw(json!({"width": 4.0, "colour": "red"})), 3, &MADE).ok(), Some(is));
    }

    #[test]
    fn what_no_version_wrote_is_refused() {
        let of = |version| read::<Made>(&raw(json!({"width": 4.0, "colour": "red"})), version, &MADE);
        assert!(matches!(of(4), Err(Unreadable::Newer(4))));
        assert!(matches!(of(0), Err(Unreadable::Unknown(0))));
        assert!(matches!(read::<Made>(&raw(json!([1])), 3, &MADE), Err(Unreadable::Damaged(_))));
    }
}
