//! Who answers what, and who leans on whom: packages and the names by which they find each other, for one user.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use petgraph::Direction;
use petgraph::graph::{DiGraph, NodeIndex};
use petgraph::visit::EdgeRef as _;
use wibbet_types::PackageId;

use super::known::Known;
use super::leans::{Lean, Leans};
use crate::package::{DeclaredPart, PartKind};

/// What stands in the graph.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Node<'a> {
    /// A package in use.
    Package(&'a PackageId),
    /// An action that somebody answers.
    Action(&'a str),
    /// The authority of a provider.
    Authority(&'a str),
}

/// Why one stands behind another: an arrow leads from who leans to what it leans on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Edge {
    /// A package says that it talks to whoever has this name.
    Asks,
    /// This package has the name.
    Answers,
    /// A package names another one.
    Names,
}

/// The graph of a device for one user. Only packages in use are in it.
#[derive(Debug)]
pub(crate) struct Graph<'a> {
    graph: DiGraph<Node<'a>, Edge>,
    nodes: HashMap<Node<'a>, NodeIndex>,
    /// Parts by which packages in use are found, that are on.
    parts: Vec<(&'a PackageId, &'a DeclaredPart)>,
    /// Which of these have a name.
    named: HashMap<&'a str, Vec<usize>>,
    /// The packages in it.
    used: Vec<&'a PackageId>,
}

/// What more packages than this answer to is nobody's alone: that all of them go is not looked for.
const MOST_ANSWERS: usize = 24;

impl<'a> Graph<'a> {
    /// Out of what a device has told.
    pub(crate) fn of(known: &Known<'a>) -> Self {
        let mut all = Self {
            graph: DiGraph::new(),
            nodes: HashMap::new(),
            parts: Vec::new(),
            named: HashMap::new(),
            used: Vec::new(),
        };
        let used: Vec<(&PackageId, _)> = known
            .inventory
            .packages
            .iter()
            .filter(|(id, _)| known.in_use(id))
            .filter_map(|(id, package)| Some((id, (package, known.declared(id)?))))
            .collect();
        let mut answers = HashSet::new();
        for (id, (package, declared)) in &used {
            let switched = package.about.parts.get(&known.user);
            let here = all.node(Node::Package(id));
            for part in &declared.parts {
                if switched.is_some_and(|parts| parts.off.iter().any(|class| **class == *part.class)) {
                    continue;
                }
                part.names.iter().for_each(|name| all.named.entry(name).or_default().push(all.parts.len()));
                all.parts.push((id, part));
                for name in part.names.iter().filter(|_| part.exported) {
                    let name = all.node(match part.kind {
                        PartKind::Provider => Node::Authority(name),
                        _ => Node::Action(name),
                    });
                    // Two parts of a package may have one name.
                    if answers.insert((name, here)) {
                        all.graph.add_edge(name, here, Edge::Answers);
                    }
                }
            }
        }
        for (id, (_, declared)) in &used {
            let here = all.node(Node::Package(id));
            let actions = declared.asks_actions.iter().map(|name| Node::Action(name));
            let authorities = declared.asks_authorities.iter().map(|name| Node::Authority(name));
            for asked in actions.chain(authorities).collect::<Vec<_>>() {
                // What nobody answers ties nobody.
                if let Some(name) = all.nodes.get(&asked).copied() {
                    all.graph.update_edge(here, name, Edge::Asks);
                }
            }
            for other in declared.asks_packages.iter().filter(|other| other != id) {
                if let Some(other) = all.nodes.get(&Node::Package(other)).copied() {
                    all.graph.update_edge(here, other, Edge::Names);
                }
            }
        }
        all.used = used.into_iter().map(|(id, _)| id).collect();
        all
    }

    /// Parts of packages in use that are on and have a name: an action, or an authority.
    pub(crate) fn parts_named(&self, name: &str) -> impl Iterator<Item = (&'a PackageId, &'a DeclaredPart)> + '_ {
        self.named.get(name).into_iter().flatten().filter_map(|at| self.parts.get(*at).copied())
    }

    fn node(&mut self, node: Node<'a>) -> NodeIndex {
        let graph = &mut self.graph;
        *self.nodes.entry(node).or_insert_with(|| graph.add_node(node))
    }

    /// Parts of packages in use that are on.
    pub(crate) fn parts(&self) -> impl Iterator<Item = (&'a PackageId, &'a DeclaredPart)> + '_ {
        self.parts.iter().copied()
    }

    fn package(&self, at: NodeIndex) -> Option<&'a PackageId> {
        match self.graph.node_weight(at) {
            Some(Node::Package(id)) => Some(id),
            _ => None,
        }
    }

    /// Whom a package leans on, and by what name: each name with all who have it.
    pub(crate) fn leans_on(&self, id: &PackageId) -> BTreeMap<&'a str, BTreeSet<&'a PackageId>> {
        let mut found: BTreeMap<&str, BTreeSet<&PackageId>> = BTreeMap::new();
        let Some(here) = self.nodes.get(&Node::Package(id)).copied() else { return found };
        for edge in self.graph.edges(here) {
            match (self.graph.node_weight(edge.target()), edge.weight()) {
                (Some(Node::Action(name) | Node::Authority(name)), Edge::Asks) => {
                    if self.graph.neighbors(edge.target()).take(MOST_ANSWERS + 1).count() > MOST_ANSWERS {
                        continue;
                    }
                    let who = self.graph.neighbors(edge.target()).filter_map(|at| self.package(at));
                    found.entry(name).or_default().extend(who.filter(|who| *who != id));
                }
                (Some(Node::Package(other)), Edge::Names) if is_of_the_same_house(id, other) => {
                    found.entry(other.as_str()).or_default().insert(other);
                }
                _ => {}
            }
        }
        found.retain(|_, who| !who.is_empty());
        found
    }

    /// Everything that packages lean on, kept beyond the graph.
    pub(crate) fn leans(&self) -> Leans {
        let of = |id: &&'a PackageId| {
            let id = *id;
            let own = self.leans_on(id).into_iter();
            own.map(move |(name, on)| Lean {
                who: id.clone(),
                name: name.to_owned(),
                on: on.into_iter().cloned().collect(),
            })
        };
        Leans::of(self.used.iter().flat_map(of).collect())
    }

    /// Who leans on a package, and by which name, where nobody else has that.
    pub(crate) fn leaning_on(&self, id: &PackageId) -> BTreeMap<&'a str, BTreeSet<&'a PackageId>> {
        let mut found: BTreeMap<&str, BTreeSet<&PackageId>> = BTreeMap::new();
        let Some(here) = self.nodes.get(&Node::Package(id)).copied() else { return found };
        for edge in self.graph.edges_directed(here, Direction::Incoming) {
            match (self.graph.node_weight(edge.source()), edge.weight()) {
                (Some(Node::Action(name) | Node::Authority(name)), Edge::Answers)
                    if self.graph.neighbors(edge.source()).take(2).count() == 1 =>
                {
                    let asking = self.graph.neighbors_directed(edge.source(), Direction::Incoming);
                    let asking = asking.filter_map(|at| self.package(at)).filter(|who| *who != id);
                    found.entry(name).or_default().extend(asking);
                }
                (Some(Node::Package(other)), Edge::Names) if is_of_the_same_house(other, id) => {
                    found.entry(id_of(self.graph.node_weight(here))).or_default().insert(other);
                }
                _ => {}
            }
        }
        found.retain(|_, who| !who.is_empty());
        found
    }
}

fn id_of<'a>(node: Option<&Node<'a>>) -> &'a str {
    match node {
        Some(Node::Package(id)) => id.as_str(),
        _ => "",
    }
}

/// Whether two ids begin alike, as those of one maker do. Apps name dozens of others that they would talk to if these were there:
/// only those of their own house are taken for something that they lean on.
fn is_of_the_same_house(one: &PackageId, other: &PackageId) -> bool {
    let house = |id: &PackageId| id.as_str().split('.').take(2).map(str::to_owned).collect::<Vec<_>>();
    house(one) == house(other)
}
