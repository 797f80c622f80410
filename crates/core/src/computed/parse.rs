//! Words of an expression put into a tree: products before sums, powers before products.

use super::Fault;
use super::dimension::UnitOf;
use super::lexer::{At, Token};

/// A function over some values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Function {
    Abs,
    Sqrt,
    Min,
    Max,
    Mean,
    Spread,
}

impl Function {
    /// By name.
    pub(super) fn named(name: &str) -> Option<Self> {
        let all = [
            ("abs", Self::Abs),
            ("sqrt", Self::Sqrt),
            ("min", Self::Min),
            ("max", Self::Max),
            ("mean", Self::Mean),
            ("spread", Self::Spread),
        ];
        all.into_iter().find(|f| f.0 == name).map(|f| f.1)
    }
}

/// An expression, each part with the letter it begins at.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Tree {
    Number(f64, Option<UnitOf>),
    /// By name, or by words where `true`.
    Channel {
        name: String,
        words: bool,
        at: usize,
    },
    Negated(Box<Tree>),
    /// `+ - * /` of two.
    Two {
        sign: char,
        left: Box<Tree>,
        right: Box<Tree>,
        at: usize,
    },
    Power {
        base: Box<Tree>,
        exponent: i8,
    },
    Call {
        function: Function,
        args: Vec<Tree>,
        at: usize,
    },
}

/// Deepest nesting and most parts of an expression (our choice: nobody reads more).
const DEEPEST: usize = 30;
const MOST_PARTS: usize = 120;

struct Parser<'t> {
    words: &'t [At],
    i: usize,
    depth: usize,
    parts: usize,
}

/// Parses a whole expression.
pub(super) fn parse(words: &[At]) -> Result<Tree, Fault> {
    let mut p = Parser { words, i: 0, depth: 0, parts: 0 };
    let tree = p.sum()?;
    match p.words.get(p.i) {
        None => Ok(tree),
        Some(At { token: Token::Sign(')'), at }) => Err(Fault::new(*at, "this ) closes nothing")),
        Some(w) => Err(Fault::new(w.at, "an operator such as * is missing before this")),
    }
}

impl Parser<'_> {
    fn sign(&self) -> Option<(char, usize)> {
        match self.words.get(self.i) {
            Some(At { token: Token::Sign(c), at }) => Some((*c, *at)),
            _ => None,
        }
    }

    fn part(&mut self, tree: Tree) -> Result<Tree, Fault> {
        self.parts += 1;
        if self.parts > MOST_PARTS {
            return Err(Fault::whole(format!("the expression has more than {MOST_PARTS} parts")));
        }
        Ok(tree)
    }

    fn sum(&mut self) -> Result<Tree, Fault> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(Fault::whole(format!("brackets are nested deeper than {DEEPEST}")));
        }
        let mut left = self.product()?;
        while let Some((sign @ ('+' | '-'), at)) = self.sign() {
            self.i += 1;
            let right = self.product()?;
            left = self.part(Tree::Two { sign, left: Box::new(left), right: Box::new(right), at })?;
        }
        self.depth -= 1;
        Ok(left)
    }

    fn product(&mut self) -> Result<Tree, Fault> {
        let mut left = self.signed()?;
        while let Some((sign @ ('*' | '/'), at)) = self.sign() {
            self.i += 1;
            let right = self.signed()?;
            left = self.part(Tree::Two { sign, left: Box::new(left), right: Box::new(right), at })?;
        }
        Ok(left)
    }

    fn signed(&mut self) -> Result<Tree, Fault> {
        let mut negated = false;
        while let Some((sign @ ('+' | '-'), _)) = self.sign() {
            self.i += 1;
            negated ^= sign == '-';
        }
        let tree = self.power()?;
        if negated { self.part(Tree::Negated(Box::new(tree))) } else { Ok(tree) }
    }

    fn power(&mut self) -> Result<Tree, Fault> {
        let base = self.one()?;
        let Some(('^', at)) = self.sign() else { return Ok(base) };
        self.i += 1;
        let negative = matches!(self.sign(), Some(('-', _)));
        self.i += usize::from(negative);
        let exponent = match self.words.get(self.i).map(|w| &w.token) {
            Some(Token::Number(v, None)) if v.fract() == 0.0 && (1.0..=4.0).contains(v) => *v as i8,
            _ => return Err(Fault::new(at, "a power is a whole number from 1 to 4, such as ^2")),
        };
        self.i += 1;
        let exponent = if negative { -exponent } else { exponent };
        self.part(Tree::Power { base: Box::new(base), exponent })
    }

    fn one(&mut self) -> Result<Tree, Fault> {
        let Some(word) = self.words.get(self.i) else {
            return Err(Fault::whole("the expression ends where a number or a channel should stand"));
        };
        self.i += 1;
        let at = word.at;
        let tree = match &word.token {
            Token::Number(v, unit) => Tree::Number(*v, unit.clone()),
            Token::Words(name) => Tree::Channel { name: name.clone(), words: true, at },
            Token::Name(name) if matches!(self.sign(), Some(('(', _))) => {
                let function = Function::named(name).ok_or_else(|| {
                    Fault::new(
                        at,
                        format!("there is no function “{name}”: abs, sqrt, min, max, mean, spread"),
                    )
                })?;
                self.i += 1;
                let mut args = vec![self.sum()?];
                while let Some((',', _)) = self.sign() {
                    self.i += 1;
                    args.push(self.sum()?);
                }
                self.close(at)?;
                Tree::Call { function, args, at }
            }
            Token::Name(name) => Tree::Channel { name: name.clone(), words: false, at },
            Token::Sign('(') => {
                let inner = self.sum()?;
                self.close(at)?;
                inner
            }
            Token::Sign(c) => {
                return Err(Fault::new(at, format!("“{c}” stands where a number or a channel should")));
            }
        };
        self.part(tree)
    }

    fn close(&mut self, opened: usize) -> Result<(), Fault> {
        match self.sign() {
            Some((')', _)) => {
                self.i += 1;
                Ok(())
            }
            _ => Err(Fault::new(opened, "the bracket that opens here is not closed")),
        }
    }
}
