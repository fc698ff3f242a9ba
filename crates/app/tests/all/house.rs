//! The house keeps its order: which room may know which, and no import circle anywhere, read from the sources.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};

/// The rooms of the core from the lowest on: each knows only those before it.
const ROOMS: [&str; 18] = [
    "error", "forest", "geom", "raster", "model", "intake", "lift", "weight", "trace", "draw", "region", "join",
    "paint", "scene", "preview", "handoff", "shot", "edit",
];

/// The crates, likewise.
const CRATES: [&str; 5] = ["resample", "core", "formats", "demo", "app"];

/// A module's path within its crate; of the crate's root empty.
type Module = Vec<String>;

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// The source files of a crate by their modules.
fn modules(of: &str) -> BTreeMap<Module, PathBuf> {
    fn walk(folder: &Path, at: &Module, out: &mut BTreeMap<Module, PathBuf>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            let stem = path.file_stem().unwrap().to_str().unwrap().to_owned();
            if path.is_dir() {
                walk(&path, &[at.clone(), vec![stem]].concat(), out);
            } else if path.extension().is_some_and(|e| e == "rs") {
                let is_root = ["mod", "lib"].contains(&stem.as_str());
                // The program's entry stands above its library.
                let name = if is_root { at.clone() } else { [at.clone(), vec![stem]].concat() };
                out.insert(name, path);
            }
        }
    }
    let mut out = BTreeMap::new();
    walk(&crates().join(of).join("src"), &Vec::new(), &mut out);
    out
}

/// The paths that a file names outside its tests, each from its beginning.
#[derive(Default)]
struct Named(Vec<Vec<String>>);

impl Named {
    fn spread(&mut self, tree: &syn::UseTree, before: &[String]) {
        let with = |name: &syn::Ident| [before, &[name.to_string()]].concat();
        match tree {
            syn::UseTree::Path(p) => self.spread(&p.tree, &with(&p.ident)),
            syn::UseTree::Name(n) if n.ident == "self" => self.0.push(before.to_vec()),
            syn::UseTree::Name(n) => self.0.push(with(&n.ident)),
            syn::UseTree::Rename(r) => self.0.push(with(&r.ident)),
            syn::UseTree::Glob(_) => self.0.push(before.to_vec()),
            syn::UseTree::Group(g) => g.items.iter().for_each(|t| self.spread(t, before)),
        }
    }
}

impl Visit<'_> for Named {
    fn visit_item_mod(&mut self, item: &syn::ItemMod) {
        let is_test = item.attrs.iter().any(|a| a.path().is_ident("cfg"));
        if !is_test {
            visit::visit_item_mod(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &syn::ItemUse) {
        self.spread(&item.tree, &[]);
    }

    /// Who may see a thing is no arrow.
    fn visit_visibility(&mut self, _: &syn::Visibility) {}

    fn visit_path(&mut self, path: &syn::Path) {
        self.0.push(path.segments.iter().map(|s| s.ident.to_string()).collect());
        visit::visit_path(self, path);
    }
}

fn named_in(file: &Path) -> Vec<Vec<String>> {
    let mut named = Named::default();
    named.visit_file(&syn::parse_file(&std::fs::read_to_string(file).unwrap()).unwrap());
    named.0
}

/// The modules of its own crate that each module names.
fn arrows(of: &str) -> BTreeMap<Module, BTreeSet<Module>> {
    let modules = modules(of);
    let mut arrows = BTreeMap::new();
    for (module, file) in &modules {
        let to = named_in(file).into_iter().filter_map(|path| {
            let mut path = path.into_iter().peekable();
            let mut at: Module = match path.peek()?.as_str() {
                "crate" | "rhizograph_app" => {
                    path.next();
                    Vec::new()
                }
                "super" => {
                    let mut at = module.clone();
                    while path.next_if(|s| s == "super").is_some() {
                        at.pop();
                    }
                    at
                }
                "self" => {
                    path.next();
                    module.clone()
                }
                child if modules.contains_key(&[module.clone(), vec![child.to_owned()]].concat()) => module.clone(),
                _ => return None,
            };
            for name in path {
                let deeper = [at.clone(), vec![name]].concat();
                if !modules.contains_key(&deeper) {
                    break;
                }
                at = deeper;
            }
            (at != *module).then_some(at)
        });
        arrows.insert(module.clone(), to.collect());
    }
    arrows
}

/// A way along the arrows that comes back to where it began.
fn circle(arrows: &BTreeMap<Module, BTreeSet<Module>>) -> Option<Vec<Module>> {
    fn walk(
        at: &Module,
        arrows: &BTreeMap<Module, BTreeSet<Module>>,
        way: &mut Vec<Module>,
        done: &mut BTreeSet<Module>,
    ) -> Option<Vec<Module>> {
        if let Some(k) = way.iter().position(|m| m == at) {
            return Some(way[k..].to_vec());
        }
        if !done.insert(at.clone()) {
            return None;
        }
        way.push(at.clone());
        let found = arrows.get(at)?.iter().find_map(|to| walk(to, arrows, way, done));
        way.pop();
        found
    }
    let mut done = BTreeSet::new();
    arrows.keys().find_map(|m| walk(m, arrows, &mut Vec::new(), &mut done))
}

#[test]
fn no_file_of_any_crate_stands_in_an_import_circle() {
    for of in CRATES {
        let arrows = arrows(of);
        let read = arrows.values().map(BTreeSet::len).sum::<usize>();
        assert!(read > 3 || arrows.len() == 1, "{of}: nothing was read");
        let found = circle(&arrows).map(|way| way.iter().map(|m| m.join("::")).collect::<Vec<_>>().join(" -> "));
        assert_eq!(found, None, "in {of}");
    }
}

#[test]
fn a_circle_is_seen() {
    let module = |name: &str| vec![name.to_owned()];
    let arrow = |a: &str, b: &str| (module(a), BTreeSet::from([module(b)]));
    assert_eq!(circle(&BTreeMap::from([arrow("a", "b"), arrow("b", "c")])), None);
    let found = circle(&BTreeMap::from([arrow("a", "b"), arrow("b", "c"), arrow("c", "b")]));
    assert_eq!(found, Some(vec![module("b"), module("c")]));
}

#[test]
fn every_room_of_the_core_knows_only_those_before_it() {
    let place = |room: &str| ROOMS.iter().position(|r| *r == room);
    for (module, to) in arrows("core") {
        let Some(room) = module.first() else { continue };
        let here = place(room).unwrap_or_else(|| panic!("{room} has no place in the order of rooms"));
        for other in to.iter().filter_map(|m| m.first()) {
            let there = place(other).unwrap();
            assert!(there <= here, "{} knows {other}", module.join("::"));
        }
    }
}

#[test]
fn every_crate_knows_only_those_before_it() {
    for (k, of) in CRATES.iter().enumerate() {
        for (module, file) in modules(of) {
            for later in &CRATES[k + 1..] {
                let name = format!("rhizograph_{later}");
                let knows = named_in(&file).iter().any(|path| path[0] == name);
                // The program's entry calls its own library.
                assert!(!knows || of == later, "{of}::{} knows {later}", module.join("::"));
            }
        }
    }
}

/// The places of the crates that the documents name, as `core::trace::graph`.
fn named_in_documents() -> Vec<(String, String)> {
    let docs = crates().join("../docs");
    let text = ["architecture.md", "algorithms.md"].map(|name| std::fs::read_to_string(docs.join(name)).unwrap());
    let pieces = text.iter().flat_map(|t| t.split('`').skip(1).step_by(2));
    let named = pieces.filter_map(|piece| piece.split_once("::"));
    named.filter(|(of, _)| CRATES.contains(of)).map(|(of, path)| (of.to_owned(), path.to_owned())).collect()
}

#[test]
fn every_place_that_the_documents_name_is_there() {
    let named = named_in_documents();
    assert!(named.len() > 30, "{named:?}");
    for (of, path) in named {
        let module: Module = path.split("::").map(str::to_owned).collect();
        assert!(modules(&of).contains_key(&module), "there is no {of}::{path}");
    }
}
