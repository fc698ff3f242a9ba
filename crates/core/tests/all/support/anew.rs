//! A scene that was kept up is held against one made anew.

use proptest::prelude::*;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;

/// Holds a scene that was kept up against one made anew: ink, edges, regions, paint and findings.
pub fn is_that_of(scene: &Scene, sheet: &Sheet, ink: &Ink) -> Result<(), TestCaseError> {
    let anew = Scene::of(sheet, ink);
    prop_assert_eq!(&scene.ink, &anew.ink);
    prop_assert_eq!(scene.network.arrangement.euler(), 0);
    prop_assert_eq!(scene.network.arrangement.counts(), anew.network.arrangement.counts());
    let edges = |s: &Scene| {
        let ids = |owners: &[u32]| {
            let mut ids: Vec<u64> = owners.iter().map(|&o| s.network.line(o as usize).unwrap().id).collect();
            ids.sort_unstable();
            ids
        };
        let mut edges: Vec<_> =
            s.network.arrangement.edges().map(|([a, b], o, _)| (a.min(b), a.max(b), ids(o))).collect();
        edges.sort();
        edges
    };
    prop_assert_eq!(edges(scene), edges(&anew));
    // Numbers of regions may differ, but not what they stand for.
    let paint = |s: &Scene, id: u32| s.fills[id as usize - 1].clone();
    for region in anew.regions.iter() {
        let same = scene.regions.at(region.seed).unwrap();
        prop_assert_eq!((same.area, same.bbox, same.seed), (region.area, region.bbox, region.seed));
        prop_assert_eq!(paint(scene, same.id), paint(&anew, region.id));
        let at = |s: &Scene, id: u32| s.regions.labels.data.iter().map(|&l| u32::from(l) == id).collect::<Vec<_>>();
        prop_assert!(at(scene, same.id) == at(&anew, region.id));
    }
    prop_assert_eq!(scene.regions.len(), anew.regions.len());
    finds_the_same(scene, &anew)
}

/// The same of the findings alone.
pub fn finds_the_same(scene: &Scene, anew: &Scene) -> Result<(), TestCaseError> {
    let findings = |s: &Scene| s.findings.iter().map(|f| Finding { region: None, ..f.clone() }).collect::<Vec<_>>();
    prop_assert_eq!(findings(scene), findings(anew));
    for kind in Kind::ALL {
        prop_assert_eq!(scene.findings.open(kind), anew.findings.open(kind), "open, {:?}", kind);
    }
    Ok(())
}
