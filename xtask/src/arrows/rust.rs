//! The arrows of a crate: what its modules take of each other, by `use` and by paths in the code.
//! What is only there for tests does not count.

use super::Arrows;
use anyhow::{Context, Result};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};
use syn::{Attribute, Item, ItemMod, UseTree, Visibility};

/// A module, by the names on the way to it; the crate itself has none.
type Module = Vec<String>;

/// What a file says.
#[derive(Default)]
struct File {
    /// Paths that it takes something by, from the crate on.
    takes: Vec<Module>,
    /// What it hands on, by name, and where it has it from.
    hands: BTreeMap<String, Module>,
}

/// The arrows between the modules in a crate's folder.
pub(super) fn arrows(folder: &Path) -> Result<Arrows> {
    let mut paths = Vec::new();
    files(folder, &["rs"], &mut paths)?;
    // Programs beside the crate take from it as anybody does.
    paths.retain(|it| !it.starts_with(folder.join("bin")));
    let mut modules: BTreeMap<Module, PathBuf> = BTreeMap::new();
    for path in paths {
        modules.insert(module(folder, &path), path);
    }
    let known: BTreeSet<Module> = modules.keys().cloned().collect();
    let mut said = BTreeMap::new();
    for (module, path) in &modules {
        let parsed = syn::parse_file(&std::fs::read_to_string(path)?)
            .with_context(|| path.display().to_string())?;
        let mut reader = Reader {
            here: module,
            known: &known,
            file: File::default(),
        };
        reader.visit_file(&parsed);
        said.insert(module.clone(), reader.file);
    }
    let mut found = Arrows::new();
    for (module, file) in &said {
        let to = file
            .takes
            .iter()
            .map(|it| made(&said, it, 0))
            .filter(|it| it != module);
        found.insert(name(module), to.map(|it| name(&it)).collect());
    }
    Ok(found)
}

/// All files of some kinds in a folder.
pub(super) fn files(folder: &Path, ends: &[&str], found: &mut Vec<PathBuf>) -> Result<()> {
    for entry in std::fs::read_dir(folder).with_context(|| folder.display().to_string())? {
        let path = entry?.path();
        if path.is_dir() {
            files(&path, ends, found)?;
        } else if path
            .extension()
            .and_then(|it| it.to_str())
            .is_some_and(|it| ends.contains(&it))
        {
            found.push(path);
        }
    }
    Ok(())
}

fn module(folder: &Path, path: &Path) -> Module {
    let inner = path.strip_prefix(folder).unwrap_or(path).with_extension("");
    let mut parts: Module = inner
        .iter()
        .map(|it| it.to_string_lossy().into_owned())
        .collect();
    if parts.last().is_some_and(|it| it == "mod") || parts == ["lib"] || parts == ["main"] {
        parts.pop();
    }
    parts
}

fn name(module: &[String]) -> String {
    if module.is_empty() {
        "lib".to_owned()
    } else {
        module.join("/")
    }
}

/// The module in which what a path names is made.
fn made(said: &BTreeMap<Module, File>, path: &[String], depth: usize) -> Module {
    let mut length = path.len();
    while !said.contains_key(&path[..length]) {
        length -= 1;
    }
    let (module, rest) = path.split_at(length);
    let Some((file, first)) = said.get(module).zip(rest.first()) else {
        return module.to_vec();
    };
    if depth > 8 {
        return module.to_vec();
    }
    if let Some(from) = file.hands.get(first) {
        let whole: Module = from.iter().chain(&rest[1..]).cloned().collect();
        return made(said, &whole, depth + 1);
    }
    module.to_vec()
}

struct Reader<'a> {
    here: &'a Module,
    known: &'a BTreeSet<Module>,
    file: File,
}

impl Reader<'_> {
    /// A path from the crate on; none where it leads out of it.
    fn within_crate(&self, path: &[String]) -> Option<Module> {
        let mut at = self.here.clone();
        let mut rest = path;
        match rest.first().map(String::as_str) {
            Some("crate") => {
                at.clear();
                rest = &rest[1..];
            }
            Some("self") => rest = &rest[1..],
            Some("super") => {
                while rest.first().is_some_and(|it| it == "super") {
                    at.pop();
                    rest = &rest[1..];
                }
            }
            Some(first) => {
                at.push(first.to_owned());
                if !self.known.contains(&at) {
                    return None;
                }
                rest = &rest[1..];
            }
            None => return None,
        }
        at.extend(rest.iter().cloned());
        Some(at)
    }

    fn used(&mut self, tree: &UseTree, before: &mut Vec<String>, handed_on: bool) {
        match tree {
            UseTree::Path(it) => {
                before.push(it.ident.to_string());
                self.used(&it.tree, before, handed_on);
                before.pop();
            }
            UseTree::Group(it) => it
                .items
                .iter()
                .for_each(|tree| self.used(tree, before, handed_on)),
            UseTree::Name(it) => self.leaf(before, &it.ident.to_string(), None, handed_on),
            UseTree::Rename(it) => self.leaf(
                before,
                &it.ident.to_string(),
                Some(it.rename.to_string()),
                handed_on,
            ),
            // Whoever hands everything on takes it as well.
            UseTree::Glob(_) => self.file.takes.extend(self.within_crate(before)),
        }
    }

    fn leaf(&mut self, before: &[String], last: &str, called: Option<String>, handed_on: bool) {
        let mut path = before.to_vec();
        if last != "self" {
            path.push(last.to_owned());
        }
        let Some(from) = self.within_crate(&path) else {
            return;
        };
        if handed_on {
            let called = called.or_else(|| path.last().cloned()).unwrap_or_default();
            self.file.hands.insert(called, from);
        } else {
            self.file.takes.push(from);
        }
    }
}

impl<'ast> Visit<'ast> for Reader<'_> {
    fn visit_item(&mut self, item: &'ast Item) {
        if let Item::Use(it) = item {
            let handed_on = !matches!(it.vis, Visibility::Inherited);
            self.used(&it.tree, &mut Vec::new(), handed_on);
        } else {
            visit::visit_item(self, item);
        }
    }

    fn visit_item_mod(&mut self, item: &'ast ItemMod) {
        if !is_test(&item.attrs) {
            visit::visit_item_mod(self, item);
        }
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        let parts: Vec<String> = path
            .segments
            .iter()
            .map(|it| it.ident.to_string())
            .collect();
        if parts.len() > 1
            && let Some(from) = self.within_crate(&parts)
        {
            self.file.takes.push(from);
        }
        visit::visit_path(self, path);
    }

    fn visit_visibility(&mut self, _: &'ast Visibility) {
        // `pub(in crate::x)` takes nothing.
    }
}

fn is_test(attributes: &[Attribute]) -> bool {
    attributes.iter().any(|it| {
        it.path().is_ident("cfg") && it.parse_args::<syn::Ident>().is_ok_and(|it| it == "test")
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn made_of(files: &[(&str, &str)]) -> Arrows {
        let folder =
            std::env::temp_dir().join(format!("arrows-{}-{}", std::process::id(), files.len()));
        for (name, text) in files {
            let path = folder.join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        let found = arrows(&folder);
        std::fs::remove_dir_all(&folder).unwrap();
        found.unwrap()
    }

    #[test]
    fn what_is_handed_on_is_taken_from_where_it_is_made() {
        let found = made_of(&[
            ("lib.rs", "pub mod room;\npub mod other;"),
            (
                "room/mod.rs",
                "mod inner;\npub use inner::{Thing, helper as help};\npub fn own() { inner::run(); }",
            ),
            (
                "room/inner.rs",
                "use super::own;\npub struct Thing;\n#[cfg(test)] mod tests { use crate::other::Far; }",
            ),
            (
                "other.rs",
                "use crate::room::{Thing, help};\nfn it() -> Option<Thing> { std::mem::take(crate::room::own()) }",
            ),
        ]);
        let to = |name: &str| found[name].iter().map(String::as_str).collect::<Vec<_>>();
        assert_eq!(to("other"), ["room", "room/inner"]);
        assert_eq!(to("room"), ["room/inner"]);
        assert_eq!(to("room/inner"), ["room"]);
        assert!(to("lib").is_empty());
    }
}
