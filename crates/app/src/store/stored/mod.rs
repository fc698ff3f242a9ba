//! Sheets and changes as they are stored: JSON of a version. What an older program wrote of a drawing is brought up to
//! today's form as a whole, version by version; what a newer one wrote is refused.

mod history;
mod keys;

pub use history::{History, Unreadable, VERSION};

use rhizograph_core::edit::Change;
use rhizograph_core::model::sheet::Sheet;
use serde::de::DeserializeOwned;
use serde_json::Value;
use serde_json::value::RawValue;

/// The first there was.
const FIRST: i16 = 1;

/// Brings what a version wrote into the form of the next.
type Upgrade = fn(&mut History) -> Result<(), Unreadable>;

/// From the first version on.
const UPGRADES: [Upgrade; (VERSION - FIRST) as usize] = [keys::bring_up, |_| Ok(()), |_| Ok(()), |_| Ok(())];

/// A sheet of the version of now.
pub fn sheet(json: &RawValue, version: i16) -> Result<Sheet, Unreadable> {
    read(json, version)
}

/// A change of the version of now.
pub fn change(json: &RawValue, version: i16) -> Result<Change, Unreadable> {
    read(json, version)
}

fn read<T: DeserializeOwned>(json: &RawValue, version: i16) -> Result<T, Unreadable> {
    match version {
        VERSION => Ok(serde_json::from_str(json.get())?),
        newer if newer > VERSION => Err(Unreadable::Newer(newer)),
        other => Err(Unreadable::Unknown(other)),
    }
}

/// Brings all that a version wrote of a drawing up to the form of now. `journal`: steps since the sheet was kept, each done
/// or (`true`) undone.
pub fn bring_up(history: &mut History, journal: &[(Value, bool)], version: i16) -> Result<(), Unreadable> {
    let missing = usize::try_from(version - FIRST).map_err(|_| Unreadable::Unknown(version))?;
    let upgrades = UPGRADES.get(missing..).ok_or(Unreadable::Newer(version))?;
    if version == FIRST {
        for (change, back) in journal {
            keys::lead(&mut history.sheet, change, *back)?;
        }
    } else if !journal.is_empty() {
        history.sheet = led(history.sheet.take(), journal)?;
    }
    upgrades.iter().try_for_each(|upgrade| upgrade(history))
}

/// A sheet led through a journal, both in the form of now.
fn led(sheet: Value, journal: &[(Value, bool)]) -> Result<Value, Unreadable> {
    let mut sheet: Sheet = serde_json::from_value(sheet)?;
    for (change, back) in journal {
        let change: Change = serde_json::from_value(change.clone())?;
        let next = if *back { change.undo(&sheet) } else { change.apply(&sheet) };
        sheet = next.map_err(|_| Unreadable::Astray)?;
    }
    Ok(serde_json::to_value(&sheet)?)
}
