//! Rooms within a crate: its modules use each other one way.
//!
//! Every `crate::…` and `super::…` path of a module's source is an arrow to the module that it ends in; a name
//! that a module passes on (`pub use`) leads to where it comes from. Tests and comments draw no arrows, nor
//! does the root, which only lists its modules.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use crate::tools::Failure;

/// A path of a source, its segments.
type Segments = Vec<String>;

/// The words and signs of a source: identifiers, `::`, and single signs; without comments, texts and the module
/// of its tests.
fn tokens(source: &str) -> Vec<String> {
    let code = source
        .split("\n#[cfg(test)]\nmod ")
        .next()
        .unwrap_or_default();
    let mut out = Vec::new();
    for line in code.lines() {
        let mut word = String::new();
        let mut text = false;
        let mut before = ' ';
        for c in line.chars() {
            if c == '"' && before != '\\' && before != '\'' {
                text = !text;
            }
            let spoken = c.is_alphanumeric() || c == '_';
            if spoken && !text {
                word.push(c);
            } else if !word.is_empty() {
                out.push(std::mem::take(&mut word));
            }
            if c == '/' && before == '/' && !text {
                out.pop();
                break;
            }
            if !spoken && !text && !c.is_whitespace() {
                if c == ':' && before == ':' {
                    out.pop();
                    out.push("::".into());
                } else {
                    out.push(c.to_string());
                }
            }
            before = c;
        }
        if !word.is_empty() {
            out.push(word);
        }
    }
    out
}

/// Paths that begin at a token, a group in braces taken apart; and where they end.
fn paths(tokens: &[String], from: usize) -> (Vec<Segments>, usize) {
    let mut own = Segments::new();
    let mut at = from;
    loop {
        match tokens.get(at).map(String::as_str) {
            Some("{") => {
                let mut all = Vec::new();
                at += 1;
                while tokens.get(at).is_some_and(|t| t != "}") {
                    if tokens[at] == "," {
                        at += 1;
                        continue;
                    }
                    let (inner, end) = paths(tokens, at);
                    all.extend(inner.into_iter().map(|p| [own.clone(), p].concat()));
                    at = end.max(at + 1);
                }
                return (all, at + 1);
            }
            Some(word) if word.chars().all(|c| c.is_alphanumeric() || c == '_') => {
                own.push(word.to_owned());
                if tokens.get(at + 1).is_some_and(|t| t == "::") {
                    at += 2;
                } else {
                    // "as another name" is no part of the path.
                    let renamed = tokens.get(at + 1).is_some_and(|t| t == "as");
                    return (vec![own], at + if renamed { 3 } else { 1 });
                }
            }
            _ => return (vec![own], at),
        }
    }
}

/// A path from the crate's root, as a module's own source writes it.
fn from_root(module: &[String], path: &[String]) -> Segments {
    let ups = path.iter().take_while(|s| *s == "super").count();
    if path.first().is_some_and(|s| s == "crate") {
        path[1..].to_vec()
    } else {
        let own = path.iter().take_while(|s| *s == "self").count();
        let base = module.len().saturating_sub(ups);
        [&module[..base], &path[ups + own..]].concat()
    }
}

/// The modules of one crate, by path from its root, and which of them each uses.
fn arrows(sources: &BTreeMap<Segments, String>) -> BTreeMap<Segments, BTreeSet<Segments>> {
    let read: BTreeMap<&Segments, Vec<String>> =
        sources.iter().map(|(m, s)| (m, tokens(s))).collect();
    let mut passed_on: BTreeMap<Segments, Segments> = BTreeMap::new();
    for (module, tokens) in &read {
        for at in 0..tokens.len() {
            let shown =
                tokens[at] == "use" && at > 0 && (tokens[at - 1] == "pub" || tokens[at - 1] == ")");
            for path in if shown {
                paths(tokens, at + 1).0
            } else {
                Vec::new()
            } {
                let Some(name) = path.last().cloned() else {
                    continue;
                };
                let target = from_root(module, &path);
                passed_on.insert([module.as_slice(), &[name]].concat(), target);
            }
        }
    }
    let home = |path: &Segments| {
        let mut path = path.clone();
        // What is passed on may be passed on again.
        for _ in 0..4 {
            match passed_on.get(&path) {
                Some(further) if *further != path => path.clone_from(further),
                _ => break,
            }
        }
        (0..=path.len())
            .rev()
            .map(|n| path[..n].to_vec())
            .find(|m| sources.contains_key(m))
    };
    let mut out = BTreeMap::new();
    for (module, tokens) in &read {
        let mut used = BTreeSet::new();
        for at in 0..tokens.len() {
            let begins = tokens[at] == "crate" || tokens[at] == "super";
            let inside = at > 0 && tokens[at - 1] == "::";
            if begins && !inside && tokens.get(at + 1).is_some_and(|t| t == "::") {
                let all = paths(tokens, at).0;
                used.extend(all.iter().filter_map(|p| home(&from_root(module, p))));
            }
        }
        used.retain(|m| m != *module && !m.is_empty());
        out.insert((*module).clone(), used);
    }
    out.remove(&Segments::new());
    out
}

/// A way from a module back to itself, if there is one.
fn circle(arrows: &BTreeMap<Segments, BTreeSet<Segments>>) -> Option<Vec<Segments>> {
    // Modules from which nothing that is left leads on are taken away, one after another.
    let mut left: BTreeSet<&Segments> = arrows.keys().collect();
    loop {
        let ends = |m: &&Segments| !arrows[*m].iter().any(|to| left.contains(to));
        let Some(end) = left.iter().copied().find(ends) else {
            break;
        };
        left.remove(end);
    }
    let mut way: Vec<&Segments> = vec![left.first()?];
    loop {
        let last = way.last()?;
        let next = arrows[*last].iter().find(|to| left.contains(to))?;
        if let Some(from) = way.iter().position(|m| *m == next) {
            way.push(next);
            return Some(way[from..].iter().map(|m| (*m).clone()).collect());
        }
        way.push(next);
    }
}

fn collect(
    folder: &Path,
    module: &[String],
    out: &mut BTreeMap<Segments, String>,
) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        let name = path.file_stem().map(|n| n.to_string_lossy().into_owned());
        let Some(name) = name else { continue };
        let own = match name.as_str() {
            "lib" | "mod" => module.to_vec(),
            _ => [module, &[name]].concat(),
        };
        if path.is_dir() {
            collect(&path, &own, out)?;
        } else if path.extension().is_some_and(|e| e == "rs") {
            out.insert(own, std::fs::read_to_string(&path)?);
        }
    }
    Ok(())
}

/// Refuses a crate whose modules use each other in a circle.
pub fn one_way(name: &str, source: &Path) -> Result<(), Failure> {
    let mut sources = BTreeMap::new();
    collect(source, &[], &mut sources)
        .map_err(|e| Failure(format!("{}: {e}", source.display())))?;
    circle(&arrows(&sources)).map_or(Ok(()), |way| {
        let way: Vec<String> = way.iter().map(|m| m.join("::")).collect();
        Err(Failure(format!(
            "in {name} these modules use each other in a circle: {}; take apart what two of them share \
             (ARCHITECTURE.md)",
            way.join(" → ")
        )))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn house(rooms: &[(&str, &str)]) -> Option<Vec<String>> {
        let segments = |m: &str| {
            m.split("::")
                .filter(|s| !s.is_empty())
                .map(str::to_owned)
                .collect()
        };
        let sources = rooms
            .iter()
            .map(|(m, s)| (segments(m), (*s).to_owned()))
            .collect();
        circle(&arrows(&sources)).map(|way| way.iter().map(|m| m.join("::")).collect())
    }

    #[test]
    fn circles_are_found_through_groups_and_names_passed_on() {
        let way = house(&[
            ("", "mod a; mod b; pub use b::x;"),
            ("a", "use crate::{b::{x, y}, c};"),
            ("b", "fn x() { super::b2::z() }"),
            ("b2", "use crate::far::A;"),
            ("far", "mod in_here; pub(crate) use in_here::A;"),
            ("far::in_here", "use super::super::a::Q;"),
        ]);
        assert_eq!(way.map(|w| w.len()), Some(5));
    }

    #[test]
    fn comments_texts_tests_and_the_root_draw_no_arrows() {
        let way = house(&[
            ("", "use crate::a::A;"),
            ("a", "use crate::b::B; // crate::a"),
            (
                "b",
                "/// crate::a\nconst S: &str = \"crate::a\";\n#[cfg(test)]\nmod tests { use crate::a::A; }",
            ),
        ]);
        assert_eq!(way, None);
    }
}
