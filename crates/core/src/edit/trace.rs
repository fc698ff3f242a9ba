//! Steps: lines made from the lifted ink.

use super::ground::Ground;
use crate::error::Error;
use crate::model::line::{Line, Made, piled_between};
use crate::model::recipe::Recipes;
use crate::model::sheet::Sheet;
use crate::model::verdict::Verdict;
use crate::raster::ink::Ink;
use crate::trace::{trace, without_covered};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::sync::Arc;
use ts_rs::TS;

/// Lines made from the lifted ink.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum TraceStep {
    /// Takes new settings and traces with them, in one step.
    Prepare { recipes: Box<Recipes> },
    /// Traces the lifted ink: traced lines nobody touched are made anew. What was made or changed by hand stays, unless
    /// all is to be made `afresh`.
    Trace {
        #[serde(default)]
        afresh: bool,
    },
}

impl TraceStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        Ok(match self {
            TraceStep::Prepare { recipes } => {
                recipes.check()?;
                after.recipes = Recipes { intake: after.recipes.intake.clone(), ..(**recipes).clone() };
                trace_anew(after, ground.lifted()?, false);
                "lift and trace".to_owned()
            }
            TraceStep::Trace { afresh } => {
                trace_anew(after, ground.lifted()?, *afresh);
                "trace".to_owned()
            }
        })
    }
}

/// Traced lines made anew from the ink, less the tails that were cut. Unless `afresh`, what somebody made or changed stays
/// as it is, and what it stands for is not traced again.
fn trace_anew(after: &mut Sheet, lifted: &Ink, afresh: bool) {
    let kept = |l: &Line| if afresh { l.made == Made::Hand } else { l.made != Made::Traced };
    let lowest = after.order_of_lifted();
    let kept: Vec<Arc<Line>> = after.lines.drain(..).filter(|l| kept(l)).collect();
    if afresh {
        after.erased.clear();
        after.settled.retain(|s| s.how == Verdict::Left);
    }
    let mut ink = Cow::Borrowed(lifted);
    if !after.erased.is_empty() {
        let alpha = &mut ink.to_mut().alpha;
        after.erased.iter().for_each(|e| e.apply(alpha));
    }
    let traced = trace(&ink, &after.recipes.trace, after.dpi, after.next_id);
    let traced = without_covered(traced, &kept, after.next_id);
    // What was drawn under the lifted ink stays under it.
    let under = kept.partition_point(|l| l.order < lowest);
    let order = |k: usize| kept.get(k).map(|l| &l.order);
    after.lines = piled_between(traced, under.checked_sub(1).and_then(order), order(under));
    after.next_id += after.lines.len() as u64;
    after.lines.extend(kept);
    after.reweighed.retain(|r| after.lines.iter().any(|l| l.id == r.line));
    after.traced = Some(Box::new(after.tracing()));
}
