//! The order in which a platform writes what a result has.

use crate::language::profile::{Profile, What};
use crate::scan::naming::{Branches, named_children};
use crate::tree::{Kind, NodeId, Tree};

/// Puts what a platform writes in a certain order into it.
pub(super) fn arrange(tree: &mut Tree<'_>, profile: &Profile) {
    // Files are in the order in which they are written.
    let files = profile.members.top_order();
    let order = if profile.output.order.is_empty() { &files } else { &profile.output.order };
    if !order.is_empty() {
        tree.arrange(tree.root(), order);
    }
    // Behind a heading, a key would be one of that section.
    let root = tree.root();
    if profile.format().is_several() {
        let files: Vec<NodeId> = tree.ids().filter(|&node| tree.kind(node) == Kind::Map).collect();
        for file in files {
            let is_file = profile.members.is_file(tree, file);
            if is_file && profile.dialect_at(tree, file).format().traits().leaves_first {
                tree.leaves_first(file);
            }
        }
    } else if profile.format().traits().leaves_first {
        tree.leaves_first(root);
    }
    for entry in &profile.schema.entries {
        if let What::Object { order, traits, .. } = &entry.what
            && !(order.is_empty() && traits.named_first.is_empty())
        {
            for node in entry.pattern.nodes_in(tree) {
                if !order.is_empty() {
                    tree.arrange(node, order);
                }
                if !traits.named_first.is_empty() {
                    put_named_first(tree, node, &traits.named_first);
                }
            }
        }
    }
}

/// Puts what entries of the branches of an object name before what names it, where that can be: within a branch, and
/// branches before others that they name nothing of. All else stays in its order.
fn put_named_first(tree: &mut Tree<'_>, object: NodeId, settings: &[Vec<String>]) {
    let branches = Branches::new(tree, object);
    let Branches { nodes, names, .. } = &branches;
    let mut within: Vec<Vec<Vec<usize>>> = names.iter().map(|names| vec![Vec::new(); names.len()]).collect();
    let mut between: Vec<Vec<usize>> = vec![Vec::new(); nodes.len()];
    for ((number, own), named) in branches.namings(tree, settings) {
        if named.0 == number {
            within[number][own].push(named.1);
        } else if !between[number].contains(&named.0) {
            between[number].push(named.0);
        }
    }
    // Of two that name one another neither can be first.
    let one_way: Vec<Vec<usize>> = between
        .iter()
        .enumerate()
        .map(|(number, named)| {
            named.iter().copied().filter(|&other| !between[other].contains(&number)).collect()
        })
        .collect();
    let owned = |names: &[&str], order: Vec<usize>| -> Vec<String> {
        order.into_iter().map(|number| names[number].to_owned()).collect()
    };
    let orders: Vec<Option<Vec<String>>> = within
        .iter()
        .zip(names)
        .map(|(named, names)| {
            named.iter().any(|named| !named.is_empty()).then(|| owned(names, named_first(named)))
        })
        .collect();
    let branch_names: Vec<&str> = nodes.iter().map(|&branch| tree.name(branch)).collect();
    let outer = one_way.iter().any(|named| !named.is_empty()).then(|| {
        // Values of the object itself stay in front.
        let leaves = named_children(tree, object).filter(|&node| tree.kind(node) != Kind::Map);
        let leaves = leaves.map(|node| tree.name(node).to_owned()).collect::<Vec<_>>();
        [leaves, owned(&branch_names, named_first(&one_way))].concat()
    });
    let nodes = nodes.clone();
    for (branch, order) in nodes.into_iter().zip(&orders) {
        if let Some(order) = order {
            tree.arrange(branch, order);
        }
    }
    if let Some(outer) = outer {
        tree.arrange(object, &outer);
    }
}

/// An order in which what each names is before it, with as little changed as that needs. `named` has for each what it
/// names; what leads back to itself is left as it is.
fn named_first(named: &[Vec<usize>]) -> Vec<usize> {
    let mut order = Vec::with_capacity(named.len());
    let mut begun = vec![false; named.len()];
    for first in 0..named.len() {
        // What is being placed, each with how much of what it names was looked at.
        let mut open: Vec<(usize, usize)> = Vec::new();
        if !std::mem::replace(&mut begun[first], true) {
            open.push((first, 0));
        }
        while let Some((at, looked)) = open.last_mut() {
            match named[*at].get(*looked) {
                Some(&next) => {
                    *looked += 1;
                    if !std::mem::replace(&mut begun[next], true) {
                        open.push((next, 0));
                    }
                }
                None => {
                    order.push(*at);
                    open.pop();
                }
            }
        }
    }
    order
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::format::json::read_json_tree;
    use crate::text::source::Source;
    use rstest::rstest;

    /// The names of branches and entries as they are then.
    #[rstest]
    // What is named is first, in its branch or in one that names nothing back.
    #[case(r#"{"v": {"a": {"link": "b"}, "b": {}}}"#, "v:b,a")]
    #[case(r#"{"v": {"a": {"link": "c"}, "b": {}, "c": {"link": "d"}, "d": {}}}"#, "v:d,c,a,b")]
    #[case(r#"{"v": {"a": {"link": "x"}}, "n": 1, "b": {"x": {}}}"#, "n b:x v:a")]
    #[case(r#"{"v": {"a": {"link": "x"}}, "b": {"x": {"of": ["p"]}, "p": {}}}"#, "b:p,x v:a")]
    // Where there is nothing to be done all stays as it is.
    #[case(r#"{"v": {"a": {"link": "x"}, "c": {}}, "b": {"x": {"of": ["c"]}}}"#, "v:a,c b:x")]
    #[case(r#"{"v": {"a": {"link": "b"}, "b": {"link": "a"}}}"#, "v:b,a")]
    #[case(r#"{"v": {"a": {"link": "nowhere"}, "b": {"link": "b"}}}"#, "v:a,b")]
    fn what_is_named_stands_first(#[case] text: &str, #[case] expected: &str) {
        let mut tree = read_json_tree(Source::new("t", text)).expect("well-formed");
        let settings = ["v/*/link", "b/*/of"];
        let settings = settings.map(|path| path.split('/').map(str::to_owned).collect::<Vec<_>>());
        let root = tree.root();
        put_named_first(&mut tree, root, &settings);
        let shown = |node: NodeId| {
            let entries: Vec<&str> = named_children(&tree, node).map(|entry| tree.name(entry)).collect();
            let colon = if entries.is_empty() { "" } else { ":" };
            format!("{}{colon}{}", tree.name(node), entries.join(","))
        };
        let all: Vec<String> = named_children(&tree, tree.root()).map(shown).collect();
        assert_eq!(all.join(" "), expected);
    }
}
