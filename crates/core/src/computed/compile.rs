//! A tree with its units checked: conversions put in, every channel found.

use super::dimension::UnitOf;
use super::lexer::cut;
use super::parse::{Function, Tree, parse};
use super::{Computed, ComputedError, Fault, MOST};
use crate::channel::{Channel, KINDS};

/// What makes °C a temperature above absolute zero, as people write it.
const ABOVE_ZERO: [f64; 2] = [273.15, 273.0];

/// A computed channel that can be computed.
#[derive(Debug, Clone, PartialEq)]
pub struct Formula {
    /// Its name.
    pub name: Channel,
    /// Unit of its values, as declared.
    pub unit: String,
    pub(super) tree: Node,
    pub(super) reads: Vec<Read>,
    /// Plain numbers that were read in the unit their place needs, in words.
    pub notes: Vec<String>,
}

/// What is read from recordings.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) enum Read {
    One(Channel),
    /// Every sensor of a kind that was logged.
    Family(&'static str),
}

/// Numbers alone: units are settled.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Node {
    Number(f64),
    /// Place among what is read.
    Read(usize),
    Negated(Box<Node>),
    Two(char, Box<Node>, Box<Node>),
    Scaled(f64, Box<Node>),
    Power(Box<Node>, i8),
    Call(Function, Vec<Node>),
}

/// What a part of an expression measures.
#[derive(Debug, Clone)]
struct Typed {
    node: Node,
    /// `None`: a plain number, which takes the unit its place needs.
    unit: Option<UnitOf>,
    /// A plain number multiplies it: it may carry a unit nobody wrote.
    bare: bool,
    /// A hundred does: it turns a share into per cent.
    hundred: bool,
    /// The number itself, where it is one.
    number: Option<f64>,
}

struct Compiler<'a> {
    earlier: &'a [Formula],
    reads: Vec<Read>,
    notes: Vec<String>,
}

/// Checks a list of computed channels in order; each may use those before it.
///
/// # Errors
/// [`ComputedError`] of the first that cannot be computed: a name that is taken, an expression that cannot be read,
/// units that do not fit.
///
/// # Examples
/// ```
/// use jamjar_core::computed::{Computed, compile_all};
/// let of = |expr: &str, unit: &str| {
///     let name = "x".parse().unwrap();
///     compile_all(&[Computed { name, unit: unit.into(), expr: expr.into() }])
/// };
/// assert!(of("back_pressure / manifold_pressure", "").is_ok());
/// let fault = of("back_pressure + engine_speed", "kPa").unwrap_err();
/// assert!(fault.to_string().contains("kPa and rpm"), "{fault}");
/// ```
pub fn compile_all(all: &[Computed]) -> Result<Vec<Formula>, ComputedError> {
    let mut out: Vec<Formula> = Vec::new();
    for (i, c) in all.iter().enumerate() {
        let fail = |f: Fault| ComputedError { name: c.name.to_string(), column: f.at, problem: f.problem };
        let taken = if out.len() >= MOST {
            Some(format!("there are more than {MOST} computed channels"))
        } else if c.name.kind().is_some() {
            Some("that is the name of a channel that is measured: choose another".to_owned())
        } else if out.iter().any(|f| f.name == c.name) {
            Some("the name appears twice".to_owned())
        } else {
            None
        };
        if let Some(problem) = taken {
            return Err(fail(Fault::whole(problem)));
        }
        let formula = compile(c, &out).map_err(fail)?;
        // Itself, or one that comes after: a recorded channel of that name could not be told from it.
        if let Some(Read::One(later)) =
            formula.reads.iter().find(|r| all[i..].iter().any(|l| **r == Read::One(l.name.clone())))
        {
            let problem = if *later == c.name {
                "it is computed from itself".to_owned()
            } else {
                format!("“{later}” is computed after it: put that first")
            };
            return Err(fail(Fault::whole(problem)));
        }
        out.push(formula);
    }
    Ok(out)
}

fn compile(c: &Computed, earlier: &[Formula]) -> Result<Formula, Fault> {
    let declared = UnitOf::named(&c.unit).ok_or_else(|| {
        Fault::whole(format!("“{}” is no unit known here: kPa, °C, K, %, rpm, λ, °, g/s … or none", c.unit))
    })?;
    let tree = parse(&cut(&c.expr)?)?;
    let mut compiler = Compiler { earlier, reads: Vec::new(), notes: Vec::new() };
    let typed = compiler.typed(&tree)?;
    if compiler.reads.is_empty() {
        return Err(Fault::whole("the expression reads no channel"));
    }
    let node = compiler.as_declared(typed, &declared)?;
    Ok(Formula {
        name: c.name.clone(),
        unit: c.unit.trim().to_owned(),
        tree: node,
        reads: compiler.reads,
        notes: compiler.notes,
    })
}

impl Formula {
    /// Channels it reads, families by the channels of `logged`.
    pub fn channels<'a>(&self, logged: impl Iterator<Item = &'a Channel> + Clone) -> Vec<Channel> {
        let mut out: Vec<Channel> = Vec::new();
        for r in &self.reads {
            match r {
                Read::One(c) => out.push(c.clone()),
                Read::Family(kind) => out.extend(of_family(kind, logged.clone())),
            }
        }
        out.sort();
        out.dedup();
        out
    }
}

/// Sensors of a kind among some channels, each once.
pub(super) fn of_family<'a>(kind: &str, logged: impl Iterator<Item = &'a Channel>) -> Vec<Channel> {
    let mut out: Vec<Channel> =
        logged.filter(|c| c.as_str() != kind && c.kind().is_some_and(|k| k.name == kind)).cloned().collect();
    out.sort();
    out.dedup();
    out
}

impl Compiler<'_> {
    fn read(&mut self, r: Read) -> Node {
        let i = self.reads.iter().position(|x| *x == r).unwrap_or_else(|| {
            self.reads.push(r);
            self.reads.len() - 1
        });
        Node::Read(i)
    }

    fn typed(&mut self, tree: &Tree) -> Result<Typed, Fault> {
        match tree {
            Tree::Number(v, unit) => Ok(Typed {
                node: Node::Number(*v),
                unit: unit.clone(),
                bare: false,
                hundred: false,
                number: unit.is_none().then_some(*v),
            }),
            Tree::Channel { name, words, at } => self.channel(name, *words, *at),
            Tree::Negated(inner) => {
                let t = self.typed(inner)?;
                Ok(Typed { node: Node::Negated(Box::new(t.node)), number: t.number.map(|v| -v), ..t })
            }
            Tree::Power { base, exponent } => {
                let t = self.typed(base)?;
                let unit = t.unit.as_ref().map(|u| u.power(*exponent));
                if t.unit.as_ref().is_some_and(|u| u.point) {
                    return Err(Fault::whole(NO_ZERO));
                }
                Ok(Typed { node: Node::Power(Box::new(t.node), *exponent), unit, number: None, ..t })
            }
            Tree::Two { sign: sign @ ('+' | '-'), left, right, at } => {
                let (a, b) = (self.typed(left)?, self.typed(right)?);
                self.sum(*sign, a, b, *at)
            }
            Tree::Two { sign, left, right, at } => {
                let (a, b) = (self.typed(left)?, self.typed(right)?);
                product(*sign, a, b, *at)
            }
            Tree::Call { function, args, at } => self.call(*function, args, *at),
        }
    }

    fn channel(&mut self, name: &str, words: bool, at: usize) -> Result<Typed, Fault> {
        let channel = if words { by_words(name, self.earlier) } else { Channel::new(name).ok() };
        let Some(channel) = channel else {
            return Err(Fault::new(at, format!("there is no channel “{name}”")));
        };
        if let Some(k) = KINDS.iter().find(|k| k.numbered && k.name == channel.as_str()) {
            return Err(Fault::new(
                at,
                format!(
                    "“{}” is a family of sensors: write {}_1, or max({}) and the like",
                    k.name, k.name, k.name
                ),
            ));
        }
        let unit = match self.earlier.iter().find(|f| f.name == channel) {
            Some(f) => UnitOf::named(&f.unit),
            // What nobody knows the unit of takes the one its place needs, like a plain number.
            None => channel.kind().map_or_else(
                || UnitOf::named(channel.unit()).filter(|u| !u.label.is_empty()),
                |k| UnitOf::named(k.unit),
            ),
        };
        let bare = unit.is_none();
        Ok(Typed { node: self.read(Read::One(channel)), unit, bare, number: None, hundred: false })
    }

    fn sum(&mut self, sign: char, a: Typed, b: Typed, at: usize) -> Result<Typed, Fault> {
        // °C + 273.15 is how people write K.
        if let (Some(u), Some(v), '+') = (&a.unit, b.number, sign)
            && u.point
            && ABOVE_ZERO.iter().any(|z| (z - v).abs() < 1e-9)
        {
            let node = Node::Two('+', Box::new(a.node), Box::new(b.node));
            return Ok(Typed {
                node,
                unit: Some(UnitOf::kelvin()),
                bare: a.bare,
                number: None,
                hundred: false,
            });
        }
        let (a, b, unit) = self.alike(a, b, at, if sign == '+' { "added" } else { "subtracted" })?;
        let points = [&a, &b].map(|t| t.unit.as_ref().is_some_and(|u| u.point));
        let unit = match (points, sign) {
            ([true, true], '-') => Some(UnitOf::kelvin()),
            ([true, true], _) => {
                return Err(Fault::new(at, "two temperatures make no sum: take mean(…) of them"));
            }
            ([false, true], '-') => {
                return Err(Fault::new(
                    at,
                    "a temperature cannot be taken from a difference of temperatures",
                ));
            }
            ([true, false] | [false, true], _) => UnitOf::named("°C"),
            _ => unit,
        };
        let bare = a.bare || b.bare;
        Ok(Typed {
            node: Node::Two(sign, Box::new(a.node), Box::new(b.node)),
            unit,
            bare,
            number: None,
            hundred: false,
        })
    }

    /// Two values in one unit: the second is converted, a plain number takes the other's.
    fn alike(
        &mut self,
        mut a: Typed,
        mut b: Typed,
        at: usize,
        done: &str,
    ) -> Result<(Typed, Typed, Option<UnitOf>), Fault> {
        match (a.unit.clone(), b.unit.clone()) {
            (None, None) => Ok((a, b, None)),
            (Some(u), None) | (None, Some(u)) => {
                let number = a.number.or(b.number);
                // A number beside °C is a difference where it is added to one.
                let own = if u.point && number.is_some() { UnitOf::kelvin() } else { u.clone() };
                if let Some(v) = number.filter(|_| !u.label.is_empty()) {
                    self.notes.push(format!("{v} is read as {v} {}", own.label));
                }
                if a.unit.is_none() {
                    a.unit = Some(own)
                } else {
                    b.unit = Some(own)
                }
                Ok((a, b, Some(u)))
            }
            (Some(u), Some(w)) if u.like(&w) => {
                if (u.scale / w.scale - 1.0).abs() > 1e-12 {
                    if a.bare || b.bare {
                        return Err(Fault::new(at, twice(&u, &w)));
                    }
                    b.node = Node::Scaled(w.scale / u.scale, Box::new(b.node));
                    b.unit = Some(UnitOf { point: w.point, ..u.clone() });
                }
                Ok((a, b, Some(u)))
            }
            // A number that multiplies either may carry what is missing.
            (Some(u), Some(_)) if b.bare => {
                b.unit = Some(u.clone());
                self.notes.push(format!("a number in it is taken to turn one part into {}", u.words()));
                Ok((a, b, Some(u)))
            }
            (Some(_), Some(w)) if a.bare => {
                a.unit = Some(w.clone());
                self.notes.push(format!("a number in it is taken to turn one part into {}", w.words()));
                Ok((a, b, Some(w)))
            }
            (Some(u), Some(w)) => {
                Err(Fault::new(at, format!("{} and {} cannot be {done}", u.words(), w.words())))
            }
        }
    }

    fn call(&mut self, function: Function, args: &[Tree], at: usize) -> Result<Typed, Fault> {
        if let (
            [Tree::Channel { name, words: false, .. }],
            Function::Min | Function::Max | Function::Mean | Function::Spread,
        ) = (args, function)
            && let Some(kind) = KINDS.iter().find(|k| k.numbered && k.name == name)
        {
            let node = Node::Call(function, vec![self.read(Read::Family(kind.name))]);
            let unit = UnitOf::named(kind.unit).map(|u| spread_of(function, u));
            return Ok(Typed { node, unit, bare: false, number: None, hundred: false });
        }
        let mut all: Vec<Typed> = args.iter().map(|a| self.typed(a)).collect::<Result<_, _>>()?;
        if matches!(function, Function::Abs | Function::Sqrt) {
            let [one] = all.as_mut_slice() else {
                return Err(Fault::new(at, "this function takes one value"));
            };
            let unit = match (function, one.unit.clone()) {
                (_, None) => None,
                (Function::Sqrt, Some(u)) => {
                    if u.point {
                        return Err(Fault::new(at, NO_ZERO));
                    }
                    let root = u.root();
                    Some(root.ok_or_else(|| Fault::new(at, format!("there is no root of {}", u.words())))?)
                }
                (_, Some(u)) => Some(u),
            };
            let node = Node::Call(function, vec![all.remove(0).node]);
            return Ok(Typed { node, unit, bare: false, number: None, hundred: false });
        }
        if all.len() < 2 {
            return Err(Fault::new(at, "this function takes two values or more, or a family such as lambda"));
        }
        let mut first = all.remove(0);
        let mut nodes = Vec::new();
        let mut bare = first.bare;
        for next in all {
            let (a, b, unit) = self.alike(first, next, at, "compared")?;
            if a.unit.as_ref().map(|u| u.point) != b.unit.as_ref().map(|u| u.point) && b.number.is_none() {
                return Err(Fault::new(
                    at,
                    "a temperature and a difference of temperatures cannot be compared",
                ));
            }
            bare |= b.bare;
            nodes.push(b.node);
            first = Typed { unit, ..a };
        }
        nodes.insert(0, first.node);
        let unit = first.unit.map(|u| spread_of(function, u));
        Ok(Typed { node: Node::Call(function, nodes), unit, bare, number: None, hundred: false })
    }

    /// The whole expression in the unit it is declared in.
    fn as_declared(&mut self, t: Typed, declared: &UnitOf) -> Result<Node, Fault> {
        let Some(unit) = t.unit else { return Ok(t.node) };
        // A difference of temperatures may be declared in either.
        let difference = unit.label == "K" && declared.point && !t.bare;
        if unit.same(declared) || difference {
            return Ok(t.node);
        }
        if unit.like(declared) && unit.point == declared.point {
            if t.hundred && declared.label == "%" && unit.same(&UnitOf::plain()) {
                return Ok(t.node);
            }
            if t.bare {
                return Err(Fault::whole(twice(&unit, declared)));
            }
            return Ok(Node::Scaled(unit.scale / declared.scale, Box::new(t.node)));
        }
        if t.bare && !unit.point {
            self.notes.push(format!(
                "a number in it is taken to turn {} into {}",
                unit.words(),
                declared.words()
            ));
            return Ok(t.node);
        }
        Err(Fault::whole(format!("the expression is in {}, not in {}", unit.words(), declared.words())))
    }
}

const NO_ZERO: &str = "°C has no zero to multiply from: add 273.15 first";

fn twice(a: &UnitOf, b: &UnitOf) -> String {
    format!(
        "{} becomes {} by itself, and a plain number beside it may turn it once more: leave that out, or write its unit",
        a.words(),
        b.words()
    )
}

fn product(sign: char, a: Typed, b: Typed, at: usize) -> Result<Typed, Fault> {
    if [&a, &b].iter().any(|t| t.unit.as_ref().is_some_and(|u| u.point)) {
        return Err(Fault::new(at, NO_ZERO));
    }
    let way = if sign == '*' { 1 } else { -1 };
    let plain = UnitOf::plain();
    let unit = match (&a.unit, &b.unit) {
        (None, None) => None,
        (x, y) => Some(x.as_ref().unwrap_or(&plain).times(y.as_ref().unwrap_or(&plain), way)),
    };
    let bare = a.bare || b.bare || unit.is_some() && (a.unit.is_none() || b.unit.is_none());
    let is = |t: &Typed| t.number.is_some_and(|v| (v - 100.0).abs() < 1e-9);
    let hundred = a.hundred || sign == '*' && (is(&a) || is(&b) || b.hundred);
    Ok(Typed { node: Node::Two(sign, Box::new(a.node), Box::new(b.node)), unit, bare, number: None, hundred })
}

/// A spread is a difference.
fn spread_of(function: Function, u: UnitOf) -> UnitOf {
    if function == Function::Spread && u.point { UnitOf::kelvin() } else { u }
}

/// A channel by its words: "back pressure", "λ 1", or those of a computed one.
fn by_words(words: &str, earlier: &[Formula]) -> Option<Channel> {
    let same = |label: &str| label.eq_ignore_ascii_case(words);
    if let Some(f) = earlier.iter().find(|f| same(&f.name.label())) {
        return Some(f.name.clone());
    }
    for k in KINDS {
        if same(k.label) {
            return Channel::new(k.name).ok();
        }
        if let Some(n) = words.strip_prefix(k.label).map(str::trim).filter(|_| k.numbered)
            && n.parse::<u32>().is_ok()
        {
            return Channel::new(format!("{}_{n}", k.name)).ok();
        }
    }
    // What it is called in files, with its spaces put back.
    Channel::new(words.to_lowercase().replace(' ', "_")).ok()
}
