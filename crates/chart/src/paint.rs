//! Stable encodings: hue = map, dash = fuel, weight = baseline thin and candidate bold.

/// Hue of a map. Stock is always ink; the others are named after preserves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Tone {
    Ink,
    Damson,
    Quince,
    Gooseberry,
    Bilberry,
    Greengage,
    Medlar,
    Sloe,
    Rowan,
}

impl Tone {
    /// Hues for maps other than stock, in the order they are given out.
    pub const MAPS: [Self; 8] = [
        Self::Damson,
        Self::Bilberry,
        Self::Quince,
        Self::Gooseberry,
        Self::Greengage,
        Self::Medlar,
        Self::Sloe,
        Self::Rowan,
    ];

    /// Name in style sheets.
    pub fn name(self) -> &'static str {
        match self {
            Self::Ink => "stock",
            Self::Damson => "damson",
            Self::Quince => "quince",
            Self::Gooseberry => "gooseberry",
            Self::Bilberry => "bilberry",
            Self::Greengage => "greengage",
            Self::Medlar => "medlar",
            Self::Sloe => "sloe",
            Self::Rowan => "rowan",
        }
    }
}

/// Dash of a fuel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dash(pub usize);

impl Dash {
    /// SVG dash array; empty is solid. After five fuels the patterns repeat.
    pub fn array(self) -> &'static str {
        ["", "9 4", "2.5 3.5", "12 3 2.5 3", "6 2.5"][self.0 % 5]
    }
}

/// Where colours come from: the page's variables, or fixed values for a file that stands alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Paint {
    /// CSS variables of the page.
    Page,
    /// Fixed light colours.
    Light,
    /// The same on white, for what is printed.
    Print,
    /// Fixed dark colours.
    Dark,
}

const COLOURS: &[(&str, &str, &str)] = &[
    ("paper", "#f4efe4", "#12110f"),
    ("surface", "#fdfaf3", "#1b1917"),
    ("ink", "#23201b", "#f2ece0"),
    ("mid", "#635b4e", "#b9ae9c"),
    ("rule", "#dccfb8", "#3a352e"),
    ("grid", "#e8dfcd", "#29251f"),
    ("stock", "#635b4e", "#b9ae9c"),
    ("damson", "#7b2d63", "#d58bc0"),
    ("quince", "#8c5c00", "#e9b44c"),
    ("gooseberry", "#4f6e18", "#a9cc62"),
    ("bilberry", "#2a5f95", "#78b3ee"),
    ("greengage", "#1a7060", "#62cdb8"),
    ("medlar", "#80503a", "#c99a7c"),
    ("sloe", "#4a4791", "#a9a5f2"),
    ("rowan", "#a44b14", "#f2a06a"),
    ("rosehip", "#b0361e", "#ff8466"),
];

impl Paint {
    /// A colour by name; an unknown name gives ink.
    pub fn colour(self, name: &str) -> String {
        let row = COLOURS.iter().find(|c| c.0 == name).unwrap_or(&COLOURS[2]);
        match self {
            Self::Page => format!("var(--{})", row.0),
            Self::Print if matches!(row.0, "paper" | "surface") => "#ffffff".to_owned(),
            Self::Light | Self::Print => row.1.to_owned(),
            Self::Dark => row.2.to_owned(),
        }
    }

    /// Families for names, text and figures.
    pub fn font(self, role: &str) -> &'static str {
        match (self, role) {
            (Self::Page, "name") => "Fraunces, serif",
            (Self::Page, "figure") => "Atkinson Mono, monospace",
            (Self::Page, _) => "Atkinson Next, sans-serif",
            (_, "name") => "Fraunces, serif",
            (_, "figure") => "Atkinson Hyperlegible Mono, monospace",
            _ => "Atkinson Hyperlegible Next, sans-serif",
        }
    }
}
