//! Circles: files that reach each other along the arrows (strongly connected parts; R. Tarjan,
//! "Depth-first search and linear graph algorithms", 1972).

use super::Arrows;

/// The circles, each with its files sorted, the smallest first.
pub(super) fn of(arrows: &Arrows) -> Vec<Vec<String>> {
    let names: Vec<&String> = arrows.keys().collect();
    let place = |name: &String| names.binary_search(&name).ok();
    let next: Vec<Vec<usize>> = arrows
        .values()
        .map(|it| it.iter().filter_map(place).collect())
        .collect();
    let mut walk = Walk {
        next: &next,
        seen: vec![None; names.len()],
        low: vec![0; names.len()],
        path: Vec::new(),
        on: vec![false; names.len()],
        count: 0,
        found: Vec::new(),
    };
    for file in 0..names.len() {
        if walk.seen[file].is_none() {
            walk.from(file);
        }
    }
    let mut circles: Vec<Vec<String>> = walk
        .found
        .into_iter()
        .filter(|it| it.len() > 1)
        .map(|mut it| {
            it.sort_unstable();
            it.into_iter().map(|file| names[file].clone()).collect()
        })
        .collect();
    circles.sort_by(|one, other| (one.len(), one).cmp(&(other.len(), other)));
    circles
}

struct Walk<'a> {
    next: &'a [Vec<usize>],
    seen: Vec<Option<usize>>,
    low: Vec<usize>,
    path: Vec<usize>,
    on: Vec<bool>,
    count: usize,
    found: Vec<Vec<usize>>,
}

impl Walk<'_> {
    fn from(&mut self, file: usize) {
        let number = self.count;
        self.count += 1;
        self.seen[file] = Some(number);
        self.low[file] = number;
        self.path.push(file);
        self.on[file] = true;
        for to in self.next[file].clone() {
            match self.seen[to] {
                None => {
                    self.from(to);
                    self.low[file] = self.low[file].min(self.low[to]);
                }
                Some(seen) if self.on[to] => self.low[file] = self.low[file].min(seen),
                Some(_) => {}
            }
        }
        if self.low[file] == number {
            let from = self
                .path
                .iter()
                .rposition(|it| *it == file)
                .unwrap_or_default();
            let part = self.path.split_off(from);
            for it in &part {
                self.on[*it] = false;
            }
            self.found.push(part);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_reaches_each_other_is_a_circle_and_nobody_else() {
        let arrows = |list: &[(&str, &[&str])]| -> Arrows {
            list.iter()
                .map(|(from, to)| {
                    (
                        (*from).to_owned(),
                        to.iter().map(|it| (*it).to_owned()).collect(),
                    )
                })
                .collect()
        };
        let made = arrows(&[
            ("a", &["b"]),
            ("b", &["c"]),
            ("c", &["a", "d"]),
            ("d", &["e"]),
            ("e", &["d"]),
            ("f", &["a"]),
        ]);
        assert_eq!(of(&made), [vec!["d", "e"], vec!["a", "b", "c"]]);
        assert!(of(&arrows(&[("a", &["b", "c"]), ("b", &["c"]), ("c", &[])])).is_empty());
    }
}
