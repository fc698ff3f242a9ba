//! Steps: the weight of lines.

use super::limits::counted;
use crate::error::Error;
use crate::model::line::{Form, Made};
use crate::model::reweighed::Reweighed;
use crate::model::sheet::Sheet;
use crate::weight::{Adjust, adjust};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::Arc;
use ts_rs::TS;

/// The weight of lines.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum WeightStep {
    /// Changes the weight of lines; of all if none is named.
    Weigh {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        adjust: Adjust,
    },
}

impl WeightStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet) -> Result<String, Error> {
        Ok(match self {
            WeightStep::Weigh { lines, adjust } => weigh_lines(after, lines, *adjust)?,
        })
    }
}

/// Changes the weight of lines, of all if none is named; their pixels follow.
fn weigh_lines(after: &mut Sheet, ids: &[u64], how: Adjust) -> Result<String, Error> {
    let known: HashSet<u64> = after.lines.iter().map(|l| l.id).collect();
    if let Some(id) = ids.iter().find(|id| !known.contains(id)) {
        return Err(Error::NoSuchLine(*id));
    }
    let ids: HashSet<u64> = ids.iter().copied().collect();
    let mut reweighed: HashSet<u64> = after.reweighed.iter().map(|r| r.line).collect();
    let numbers = match how {
        Adjust::Set { width } => [width, 0.0],
        Adjust::Scale { factor } => [factor, 0.0],
        Adjust::Add { by } => [by.abs(), 0.0],
        Adjust::Clamp { least, most } => [least, most],
        Adjust::Calm { amount } => [amount, 0.0],
        Adjust::Taper { length, .. } => [length, 0.0],
    };
    for v in numbers {
        if !(0.0..=4000.0).contains(&v) {
            return Err(Error::Recipe { name: "line weight", value: v, from: 0.0, to: 4000.0 });
        }
    }
    let mut n = 0;
    for line in &mut after.lines {
        if !ids.is_empty() && !ids.contains(&line.id) {
            continue;
        }
        let before = Reweighed::of(line);
        let length = before.path.windows(2).map(|w| (w[0][0] - w[1][0]).hypot(w[0][1] - w[1][1])).sum();
        let Form::Centreline { width, .. } = &line.form else {
            continue;
        };
        let new = adjust(width, length, how);
        if new == *width {
            continue;
        }
        let line = Arc::make_mut(line);
        if let Form::Centreline { width, .. } = &mut line.form {
            *width = new;
        }
        *line = line.clone().jointed();
        n += 1;
        if line.made == Made::Traced {
            line.made = Made::Edited;
        }
        // Bridges and lines by hand are drawn from their geometry anyway.
        if line.made == Made::Edited && reweighed.insert(line.id) {
            after.reweighed.push(before);
        }
    }
    Ok(counted("weighed", n, "line"))
}
