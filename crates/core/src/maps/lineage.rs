//! Which map was made from which: a forest drawn as a tree, children under their parent.

/// A map on its place in the tree.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Node {
    /// Index of the map.
    pub map: usize,
    /// Index of the map it was made from; `None` at a root.
    pub parent: Option<usize>,
    /// For each level above it from the root's children on, whether more children follow there below this line.
    pub open: Vec<bool>,
    /// No other child of its parent follows.
    pub last: bool,
}

impl Node {
    /// Levels below its root.
    pub fn depth(&self) -> usize {
        self.open.len() + usize::from(self.parent.is_some())
    }
}

/// The tree of some maps, each with its name and the name of the one it was made from. Children stand under their parent
/// in the order given. A name that is not among them makes a root; so does the first of a circle, which no two maps ought
/// to form.
pub fn lineage(maps: &[(&str, Option<&str>)]) -> Vec<Node> {
    let parent: Vec<Option<usize>> = maps
        .iter()
        .enumerate()
        .map(|(i, (_, p))| p.and_then(|p| maps.iter().position(|(n, _)| *n == p)).filter(|p| *p != i))
        .collect();
    let circles = |mut i: usize| {
        let from = i;
        for _ in 0..maps.len() {
            match parent[i] {
                Some(p) if p == from => return true,
                Some(p) => i = p,
                None => return false,
            }
        }
        false
    };
    // The first of each circle stands as a root.
    let mut cut = vec![false; maps.len()];
    for i in 0..maps.len() {
        let mut at = i;
        let mut before_it = false;
        for _ in 0..maps.len() {
            before_it |= cut[at];
            match parent[at] {
                Some(p) => at = p,
                None => break,
            }
        }
        cut[i] = circles(i) && !before_it;
    }
    let parent: Vec<Option<usize>> = (0..maps.len()).map(|i| parent[i].filter(|_| !cut[i])).collect();
    let children = |of: Option<usize>| (0..maps.len()).filter(|i| parent[*i] == of).collect::<Vec<_>>();
    let mut out = Vec::new();
    // Deepest first: what is pushed last is drawn next.
    let mut waiting: Vec<Node> = children(None)
        .into_iter()
        .rev()
        .map(|map| Node { map, parent: None, open: Vec::new(), last: true })
        .collect();
    while let Some(node) = waiting.pop() {
        let own = children(Some(node.map));
        let open: Vec<bool> = match node.parent {
            Some(_) => node.open.iter().copied().chain([!node.last]).collect(),
            None => Vec::new(),
        };
        for (k, map) in own.iter().enumerate().rev() {
            waiting.push(Node {
                map: *map,
                parent: Some(node.map),
                open: open.clone(),
                last: k + 1 == own.len(),
            });
        }
        out.push(node);
    }
    out
}

/// Whether a map would come to descend from itself if it were made from another: the circle by its names, if so.
pub fn circle<'a>(
    maps: &[(&'a str, Option<&'a str>)],
    name: &'a str,
    parent: &'a str,
) -> Option<Vec<&'a str>> {
    let mut way = vec![name, parent];
    while way.len() <= maps.len() + 2 {
        let at = way[way.len() - 1];
        if at == name {
            return Some(way);
        }
        way.push(maps.iter().find(|(n, _)| *n == at)?.1?);
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn drawn(maps: &[(&str, Option<&str>)]) -> Vec<String> {
        lineage(maps)
            .iter()
            .map(|n| {
                let above: String = n.open.iter().map(|o| if *o { "│ " } else { "  " }).collect();
                let elbow = match (n.parent, n.last) {
                    (None, _) => "",
                    (_, true) => "└ ",
                    (_, false) => "├ ",
                };
                format!("{above}{elbow}{}", maps[n.map].0)
            })
            .collect()
    }

    #[test]
    fn children_stand_under_their_parent() {
        let maps = [
            ("stock", None),
            ("C1", Some("stock")),
            ("C3", Some("C2")),
            ("C2", Some("C1")),
            ("Harbour A", None),
            ("C4", Some("C1")),
            ("lost", Some("nobody")),
        ];
        assert_eq!(drawn(&maps), ["stock", "└ C1", "  ├ C2", "  │ └ C3", "  └ C4", "Harbour A", "lost"]);
    }

    #[test]
    fn a_circle_is_said_and_never_drawn_for_ever() {
        let maps = [("A", Some("B")), ("B", Some("C")), ("C", Some("A")), ("D", Some("C")), ("E", Some("E"))];
        assert_eq!(drawn(&maps), ["A", "└ C", "  ├ B", "  └ D", "E"]);
        assert_eq!(circle(&[("C1", None), ("C2", Some("C1"))], "C1", "C2"), Some(vec!["C1", "C2", "C1"]));
        assert_eq!(circle(&[("C1", None), ("C2", Some("C1"))], "C2", "C1"), None);
        assert_eq!(circle(&[("C1", None)], "C1", "C1"), Some(vec!["C1", "C1"]));
        assert_eq!(circle(&maps, "X", "B"), None, "an older circle is not its own");
    }

    proptest! {
        #[test]
        fn every_map_stands_there_once(parents in prop::collection::vec(prop::option::of(0usize..12), 12)) {
            let names: Vec<String> = (0..12).map(|i| format!("m{i}")).collect();
            let maps: Vec<(&str, Option<&str>)> =
                (0..12).map(|i| (names[i].as_str(), parents[i].map(|p| names[p].as_str()))).collect();
            let nodes = lineage(&maps);
            let mut seen: Vec<usize> = nodes.iter().map(|n| n.map).collect();
            seen.sort_unstable();
            prop_assert_eq!(seen, (0..12).collect::<Vec<_>>());
            for (k, n) in nodes.iter().enumerate() {
                let above = nodes[..k].iter().rev().find(|o| o.depth() + 1 == n.depth());
                prop_assert!(n.parent.is_none() || above.map(|a| a.map) == n.parent);
            }
        }
    }
}
