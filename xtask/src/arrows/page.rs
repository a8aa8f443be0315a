//! The arrows of the page: what its files import of each other.

use super::Arrows;
use anyhow::Result;
use std::collections::BTreeSet;
use std::path::{Component, Path, PathBuf};

/// The arrows between the scripts and components in a folder.
pub(super) fn arrows(folder: &Path) -> Result<Arrows> {
    let mut files = Vec::new();
    super::rust::files(folder, &["ts", "vue"], &mut files)?;
    let names: BTreeSet<PathBuf> = files
        .iter()
        .filter_map(|it| it.strip_prefix(folder).ok())
        .map(Path::to_owned)
        .collect();
    let mut found = Arrows::new();
    for name in &names {
        let text = std::fs::read_to_string(folder.join(name))?;
        let beside = name.parent().unwrap_or(Path::new(""));
        let to = imports(&text).filter_map(|it| meant(&names, &beside.join(it)));
        found.insert(told(name), to.map(|it| told(&it)).collect());
    }
    Ok(found)
}

fn told(name: &Path) -> String {
    name.to_string_lossy().into_owned()
}

/// What a script imports from beside it: `from "./x"`, `import "./x"` and `import("./x")`.
fn imports(text: &str) -> impl Iterator<Item = &str> {
    text.split("from \"")
        .chain(text.split("import \""))
        .chain(text.split("import(\""))
        .filter_map(|it| {
            let path = it.split('"').next()?;
            path.starts_with('.').then_some(path)
        })
}

/// The file that an import means.
fn meant(names: &BTreeSet<PathBuf>, path: &Path) -> Option<PathBuf> {
    let mut plain = PathBuf::new();
    for part in path.components() {
        match part {
            Component::ParentDir => drop(plain.pop()),
            Component::CurDir => {}
            other => plain.push(other),
        }
    }
    let text = plain.to_string_lossy().into_owned();
    let each = ["", ".ts", ".vue", "/index.ts"].map(|end| PathBuf::from(format!("{text}{end}")));
    each.into_iter().find(|it| names.contains(it))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn imports_are_found_and_lead_to_their_files() {
        let text = "import { a } from \"../format/units\";\n\
                    import type { B } from \"./Beside.vue\";\nimport { ref } from \"vue\";\n\
                    const it = () => import(\"./late\");";
        assert_eq!(
            imports(text).collect::<Vec<_>>(),
            ["../format/units", "./Beside.vue", "./late"]
        );
        let names = BTreeSet::from(
            [
                "format/units.ts",
                "views/Log/Beside.vue",
                "views/late/index.ts",
            ]
            .map(PathBuf::from),
        );
        let of = |path: &str| meant(&names, &Path::new("views/Log").join(path)).map(|it| told(&it));
        assert_eq!(of("../../format/units").as_deref(), Some("format/units.ts"));
        assert_eq!(of("./Beside.vue").as_deref(), Some("views/Log/Beside.vue"));
        assert_eq!(of("../late").as_deref(), Some("views/late/index.ts"));
        assert_eq!(of("./nothing"), None);
    }
}
