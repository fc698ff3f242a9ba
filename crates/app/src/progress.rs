//! How far a drawing is.

use crate::api::Progress;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::scene::Scene;
use std::collections::BTreeMap;

/// How many findings of each kind are open.
fn by_kind(scene: &Scene) -> BTreeMap<Kind, usize> {
    Kind::ALL.into_iter().map(|k| (k, scene.findings.open(k))).filter(|o| o.1 > 0).collect()
}

/// How far a drawing is, counted from its scene.
pub fn of(sheet: &Sheet, scene: &Scene) -> Progress {
    let open = |kinds: &[Kind]| kinds.iter().map(|k| scene.findings.open(*k)).sum();
    let lifted = sheet.traced.is_some();
    Progress {
        lifted,
        join_open: if lifted { open(&[Kind::Gap, Kind::Tail, Kind::Leak, Kind::LooseEnd, Kind::Sliver]) } else { 0 },
        paint_open: if lifted { open(&[Kind::Unpainted, Kind::TwoPaints, Kind::Doubtful, Kind::Unlike]) } else { 0 },
        regions: scene.regions.len(),
        beyond: scene.regions.beyond(),
        painted: scene.fills.iter().flatten().count(),
        carried: sheet.drops.iter().filter(|d| d.is_carried()).count(),
        doubtful: open(&[Kind::Doubtful]),
        used: sheet.used(),
        settled: sheet.settled.len(),
        open: if lifted { by_kind(scene) } else { BTreeMap::new() },
        sure: if lifted { scene.findings.iter().filter(|f| f.is_sure_and_open()).count() } else { 0 },
    }
}
