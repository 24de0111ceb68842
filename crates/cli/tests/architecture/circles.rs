//! No circle between the files of a crate, or between the page's scripts: whoever reads a file needs only those below
//! it.
//!
//! An arrow goes from a file to the one that defines what it names, through whatever re-exports lie between. Tests do
//! not count.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use syn::visit::Visit;
use syn::{Attribute, Item, ItemMod, ItemUse, UseTree, Visibility};

/// Where a module is in its crate: `["scene", "label"]`.
type Module = Vec<String>;
/// From file to the files that it needs, with the names that it takes from each.
type Arrows = BTreeMap<String, BTreeMap<String, BTreeSet<String>>>;

/// A file of a crate.
#[derive(Default)]
struct Room {
    path: String,
    defines: BTreeSet<String>,
    /// What `use` brings in, under the name that it has here.
    imports: BTreeMap<String, Vec<String>>,
    /// Those of them that it hands on. They are arrows only where its own code uses them.
    handed_on: BTreeSet<String>,
    /// Modules of which everything is brought in.
    globs: Vec<Vec<String>>,
    /// Paths that its code names.
    names: BTreeSet<Vec<String>>,
}

impl Room {
    fn read(path: &Path) -> Self {
        let text = std::fs::read_to_string(path).expect("a source file is read");
        let file = syn::parse_file(&text).unwrap_or_else(|error| panic!("{path:?}: {error}"));
        let mut room = Self { path: path.display().to_string(), ..Self::default() };
        room.defines = file.items.iter().filter_map(name_of).collect();
        room.visit_file(&file);
        room
    }

    fn take(&mut self, tree: &UseTree, mut path: Vec<String>) {
        match tree {
            UseTree::Path(part) => {
                path.push(part.ident.to_string());
                self.take(&part.tree, path);
            }
            UseTree::Group(group) => group.items.iter().for_each(|tree| self.take(tree, path.clone())),
            UseTree::Glob(_) => self.globs.push(path),
            UseTree::Name(name) => {
                let name = name.ident.to_string();
                // `use a::{self}` is `a`.
                if name != "self" {
                    path.push(name);
                }
                self.imports.insert(path.last().cloned().unwrap_or_default(), path);
            }
            UseTree::Rename(name) => {
                path.push(name.ident.to_string());
                self.imports.insert(name.rename.to_string(), path);
            }
        }
    }
}

impl<'ast> Visit<'ast> for Room {
    fn visit_item_mod(&mut self, module: &'ast ItemMod) {
        if !is_for_tests(&module.attrs) {
            syn::visit::visit_item_mod(self, module);
        }
    }

    fn visit_item_use(&mut self, item: &'ast ItemUse) {
        if is_for_tests(&item.attrs) {
            return;
        }
        let before: BTreeSet<String> = self.imports.keys().cloned().collect();
        self.take(&item.tree, Vec::new());
        if !matches!(item.vis, Visibility::Inherited) {
            self.handed_on.extend(self.imports.keys().filter(|name| !before.contains(*name)).cloned());
        }
    }

    fn visit_path(&mut self, path: &'ast syn::Path) {
        if path.leading_colon.is_none() {
            self.names.insert(path.segments.iter().map(|part| part.ident.to_string()).collect());
        }
        syn::visit::visit_path(self, path);
    }
}

fn is_for_tests(attributes: &[Attribute]) -> bool {
    let is = |attribute: &Attribute| {
        attribute.path().is_ident("cfg") && attribute.parse_args::<syn::Ident>().is_ok_and(|what| what == "test")
    };
    attributes.iter().any(is)
}

fn name_of(item: &Item) -> Option<String> {
    let name = match item {
        Item::Const(item) => &item.ident,
        Item::Enum(item) => &item.ident,
        Item::Fn(item) => &item.sig.ident,
        Item::Static(item) => &item.ident,
        Item::Struct(item) => &item.ident,
        Item::Trait(item) => &item.ident,
        Item::Type(item) => &item.ident,
        Item::Union(item) => &item.ident,
        Item::Macro(item) => item.ident.as_ref()?,
        _ => return None,
    };
    Some(name.to_string())
}

/// The files of a crate by their modules.
struct House(BTreeMap<Module, Room>);

impl House {
    fn read(source: &Path) -> Self {
        let is_test = |path: &Path| path.file_stem().is_some_and(|stem| stem.to_string_lossy().ends_with("tests"));
        let files = files(source, "rs").into_iter().filter(|path| !is_test(path));
        Self(files.map(|path| (module_of(source, &path), Room::read(&path))).collect())
    }

    fn is_module(&self, module: &[String]) -> bool {
        self.0.contains_key(module)
    }

    /// The file that defines what a path names, seen from a module; `None` outside of the crate.
    fn home_of(&self, from: &[String], path: &[String], depth: usize) -> Option<&str> {
        let (first, rest) = path.split_first()?;
        let (mut module, mut rest) = match first.as_str() {
            "crate" => (Vec::new(), rest),
            "self" => (from.to_vec(), rest),
            "super" => (from[..from.len().checked_sub(1)?].to_vec(), rest),
            _ => (from.to_vec(), path),
        };
        while let Some((next, after)) = rest.split_first() {
            let child = [module.as_slice(), std::slice::from_ref(next)].concat();
            if next == "super" {
                module.pop();
            } else if self.is_module(&child) {
                module = child;
            } else {
                break;
            }
            rest = after;
        }
        let room = self.0.get(&module)?;
        // A module by itself is only a name; what is taken out of it counts.
        let (name, after) = rest.split_first()?;
        if room.defines.contains(name) {
            return Some(&room.path);
        }
        // Deeper than any chain of re-exports: two modules that bring in all of each other.
        if depth > 8 {
            return None;
        }
        if let Some(import) = room.imports.get(name) {
            return self.home_of(&module, &[import.as_slice(), after].concat(), depth + 1);
        }
        let mut globs = room.globs.iter();
        globs.find_map(|glob| self.home_of(&module, &[glob.as_slice(), rest].concat(), depth + 1))
    }

    fn arrows(&self) -> Arrows {
        let mut arrows = Arrows::new();
        for (module, room) in &self.0 {
            let to = arrows.entry(room.path.clone()).or_default();
            let imports = room.imports.iter().filter(|(name, _)| !room.handed_on.contains(*name)).map(|(_, path)| path);
            for path in imports.chain(&room.names) {
                if let Some(home) = self.home_of(module, path, 0).filter(|home| *home != room.path) {
                    to.entry(home.to_owned()).or_default().insert(path.join("::"));
                }
            }
        }
        arrows
    }
}

fn module_of(source: &Path, path: &Path) -> Module {
    let inside = path.strip_prefix(source).expect("the file is inside").with_extension("");
    let mut module: Module = inside.iter().map(|part| part.to_string_lossy().into_owned()).collect();
    if module.last().is_some_and(|last| ["mod", "lib", "main"].contains(&last.as_str())) {
        module.pop();
    }
    module
}

fn files(folder: &Path, extension: &str) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap_or_else(|error| panic!("{folder:?}: {error}"));
    let mut all: Vec<PathBuf> = Vec::new();
    for path in entries.map(|entry| entry.expect("the folder is read").path()) {
        if path.is_dir() {
            all.extend(files(&path, extension));
        } else if path.extension().is_some_and(|own| own == extension) {
            all.push(path);
        }
    }
    all
}

/// The arrows that lead back to where they come from, in the end.
fn circles(arrows: &Arrows) -> Arrows {
    let reached: BTreeMap<&str, BTreeSet<&str>> =
        arrows.keys().map(|file| (file.as_str(), reach(arrows, file))).collect();
    let leads_back = |from: &str, to: &str| reached.get(to).is_some_and(|files| files.contains(from));
    let mut left = arrows.clone();
    left.iter_mut().for_each(|(from, to)| to.retain(|file, _| leads_back(from, file)));
    left.retain(|_, to| !to.is_empty());
    left
}

/// All that a file needs, and that those need, and so on.
fn reach<'a>(arrows: &'a Arrows, file: &'a str) -> BTreeSet<&'a str> {
    let (mut seen, mut next) = (BTreeSet::new(), vec![file]);
    while let Some(file) = next.pop() {
        let to = arrows.get(file).into_iter().flat_map(BTreeMap::keys).map(String::as_str);
        next.extend(to.filter(|file| seen.insert(*file)));
    }
    seen
}

fn told(arrows: &Arrows) -> String {
    let line = |(from, to): (&String, &BTreeMap<String, BTreeSet<String>>)| {
        let to = to.iter().map(|(file, names)| format!("\n    {file}: {}", Vec::from_iter(names.clone()).join(", ")));
        format!("{from}{}\n", to.collect::<String>())
    };
    arrows.iter().map(line).collect()
}

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("there is a folder of crates").to_owned()
}

#[test]
fn no_file_of_a_crate_needs_itself_in_the_end() {
    let (mut looked_at, mut left) = (0, Arrows::new());
    for entry in std::fs::read_dir(crates()).expect("there are crates") {
        let house = House::read(&entry.unwrap().path().join("src"));
        let arrows = house.arrows();
        looked_at += arrows.values().map(BTreeMap::len).sum::<usize>();
        left.extend(circles(&arrows));
    }
    assert!(left.is_empty(), "these files need each other:\n{}", told(&left));
    assert!(looked_at > 500, "only {looked_at} arrows were seen");
}

#[test]
fn no_script_needs_itself_in_the_end() {
    let mut arrows = Arrows::new();
    let root = crates().join("web/assets/js").canonicalize().unwrap();
    let named = |path: &Path| path.strip_prefix(&root).unwrap().to_string_lossy().into_owned();
    for path in files(&root, "js") {
        let text = std::fs::read_to_string(&path).unwrap();
        let imports = text.lines().filter(|line| line.starts_with("import ") || line.starts_with("} from "));
        let ours = imports.filter_map(|line| line.split('"').nth(1)).filter(|file| !file.contains("vendor"));
        let found =
            ours.map(|file| path.parent().unwrap().join(file).canonicalize().expect("what is imported is there"));
        arrows.insert(named(&path), found.map(|file| (named(&file), BTreeSet::new())).collect());
    }
    assert!(arrows.values().map(BTreeMap::len).sum::<usize>() > 60, "imports were not seen");
    let left = circles(&arrows);
    assert!(left.is_empty(), "these scripts need each other:\n{}", told(&left));
}

#[test]
fn a_circle_is_seen_through_a_re_export() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| {
        let path = folder.path().join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    write("lib.rs", "mod low; mod high;");
    write("low/mod.rs", "mod inner; pub use inner::Thing;");
    write("low/inner.rs", "pub struct Thing; fn up() { crate::high::call() }");
    write("high.rs", "use crate::low::Thing; pub fn call() {}");
    let left = circles(&House::read(folder.path()).arrows());
    let names: Vec<&str> = left.keys().filter_map(|path| path.rsplit('/').next()).collect();
    assert_eq!(names, ["high.rs", "inner.rs"]);
    write("low/inner.rs", "pub struct Thing; #[cfg(test)] mod tests { fn up() { crate::high::call() } }");
    assert!(circles(&House::read(folder.path()).arrows()).is_empty(), "tests count");
}
