//! Amounts with a unit: lengths of time, sizes of data, rates.

use super::{Loss, Misread, Unfit};

/// What is measured. Amounts of one never become amounts of another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Dimension {
    /// In milliseconds.
    Time,
    /// In bytes.
    Size,
    /// In bits a second.
    Rate,
}

/// A unit, as people and profiles write it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Unit {
    pub(crate) symbol: &'static str,
    /// The word for several of it.
    pub(crate) plural: &'static str,
    /// How much of the dimension's own unit it is.
    pub(crate) factor: u64,
}

const fn unit(symbol: &'static str, plural: &'static str, factor: u64) -> Unit {
    Unit { symbol, plural, factor }
}

/// Decimal multiples by the International System of Units, binary ones by IEC 80000-13.
const TIME: [Unit; 5] = [
    unit("ms", "milliseconds", 1),
    unit("s", "seconds", 1_000),
    unit("min", "minutes", 60_000),
    unit("h", "hours", 3_600_000),
    unit("d", "days", 86_400_000),
];
const SIZE: [Unit; 9] = [
    unit("B", "bytes", 1),
    unit("kB", "kilobytes", 1_000),
    unit("KiB", "kibibytes", 1 << 10),
    unit("MB", "megabytes", 1_000_000),
    unit("MiB", "mebibytes", 1 << 20),
    unit("GB", "gigabytes", 1_000_000_000),
    unit("GiB", "gibibytes", 1 << 30),
    unit("TB", "terabytes", 1_000_000_000_000),
    unit("TiB", "tebibytes", 1 << 40),
];
const RATE: [Unit; 7] = [
    unit("bit/s", "bits a second", 1),
    unit("B/s", "bytes a second", 8),
    unit("kbit/s", "kilobits a second", 1_000),
    unit("kB/s", "kilobytes a second", 8_000),
    unit("Mbit/s", "megabits a second", 1_000_000),
    unit("MB/s", "megabytes a second", 8_000_000),
    unit("Gbit/s", "gigabits a second", 1_000_000_000),
];

impl Dimension {
    /// The type's name in profiles.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Time => "duration",
            Self::Size => "size",
            Self::Rate => "rate",
        }
    }

    /// Its units, the smallest first.
    pub(crate) fn units(self) -> &'static [Unit] {
        match self {
            Self::Time => &TIME,
            Self::Size => &SIZE,
            Self::Rate => &RATE,
        }
    }

    /// An amount for people to read: in the largest unit that holds it without a rest.
    pub(crate) fn spell(self, amount: u64) -> String {
        // A few minutes are given in seconds, as configurations mostly have them.
        if self == Self::Time && amount < 600_000 && amount.is_multiple_of(1_000) {
            return format!("{} s", amount / 1_000);
        }
        let holds = |unit: &&Unit| amount > 0 && amount.is_multiple_of(unit.factor);
        let smallest = if self == Self::Time { &TIME[1] } else { &self.units()[0] };
        let unit = self.units().iter().rev().find(holds).unwrap_or(smallest);
        format!("{} {}", amount / unit.factor, unit.symbol)
    }
}

/// How amounts are written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Quantity {
    pub(crate) dimension: Dimension,
    /// The unit of a bare number, and of `min` and `max`.
    pub(crate) unit: Unit,
    /// How many of the unit a bare number counts.
    pub(crate) count: u64,
    /// Numbers may have a decimal point.
    pub(crate) fractions: bool,
    /// `0x` in front of a number means hexadecimal and `0` octal, as in C.
    pub(crate) prefixes: bool,
    /// Units that may be behind the number, as they are spelled there. If there are any, amounts
    /// are written in the largest that holds them without a rest.
    pub(crate) suffixes: Vec<(String, Unit)>,
    pub(crate) min: u64,
    pub(crate) max: u64,
    /// The spelling that means without end, or off.
    pub(crate) never: Option<String>,
    /// The last release that cuts what is finer than the unit, where later ones round it.
    pub(crate) cut_until: Option<String>,
    /// The release at hand does.
    pub(crate) cuts: bool,
}

impl Quantity {
    /// The amount in the dimension's own unit; `None` for [`Self::never`].
    pub(crate) fn read(&self, text: &str) -> Result<Option<u64>, Misread> {
        if self.never.as_deref() == Some(text) {
            return Ok(None);
        }
        let (radix, prefix) = self.radix(text);
        let is_of_number =
            |&b: &u8| char::from(b).is_digit(radix) || radix == 10 && self.fractions && b == b'.';
        let digits = prefix + text[prefix..].bytes().take_while(is_of_number).count();
        let suffix = text[digits..].trim_start();
        let factor = match suffix {
            "" => Some(self.bare()),
            _ => self.suffixes.iter().find(|(spelling, _)| spelling == suffix).map(|(_, unit)| unit.factor),
        };
        let number = &text[prefix..digits];
        match factor.and_then(|factor| match radix {
            10 => times(number, factor),
            _ => u64::from_str_radix(number, radix).ok()?.checked_mul(factor),
        }) {
            Some(amount) if self.cuts => Ok(Some(amount - amount % self.bare())),
            Some(amount) => Ok(Some(amount)),
            None => Err(Misread { expected: self.expected() }),
        }
    }

    /// Whether a text is the same amount to both, which are alike but for what they do with the rest.
    pub(crate) fn reads_like(&self, other: &Self, text: &str) -> bool {
        let alike = Self { cuts: other.cuts, ..self.clone() } == *other;
        alike && self.read(text).ok() == other.read(text).ok()
    }

    /// What the number counts in, and how many bytes in front of its digits say so. With a decimal
    /// point it is decimal.
    fn radix(&self, text: &str) -> (u32, usize) {
        match text.strip_prefix('0') {
            Some(rest) if !self.prefixes || rest.is_empty() => (10, 0),
            Some(rest) if rest.starts_with(['x', 'X']) => (16, 2),
            Some(rest) => match rest.bytes().find(|b| !b.is_ascii_digit()) {
                Some(b'.') => (10, 0),
                _ if rest.starts_with(|c: char| c.is_ascii_digit()) => (8, 1),
                _ => (10, 0),
            },
            None => (10, 0),
        }
    }

    /// What a bare number of one is.
    fn bare(&self) -> u64 {
        self.unit.factor.saturating_mul(self.count)
    }

    fn expected(&self) -> String {
        let number = format!("a whole number of {}", self.unit.plural);
        if self.suffixes.is_empty() {
            return number;
        }
        let units = crate::finding::one_of(self.suffixes.iter().map(|(spelling, _)| spelling));
        format!("{number}, or one with its unit: {units}")
    }

    /// Appends an amount, rounded half up to what can be written and kept within the bounds.
    pub(crate) fn write(&self, amount: u64, out: &mut String) -> Result<Option<Loss>, Unfit> {
        let (min, max) = (self.min.saturating_mul(self.bare()), self.max.saturating_mul(self.bare()));
        let within = amount.clamp(min, max);
        let exact = |unit: &Unit| within > 0 && within.is_multiple_of(unit.factor);
        let largest =
            self.suffixes.iter().filter(|(_, unit)| exact(unit)).max_by_key(|(_, unit)| unit.factor);
        let unit = largest.map_or(self.unit, |(_, unit)| *unit);
        let factor = largest.map_or(self.bare(), |(_, unit)| unit.factor);
        let (whole, rest) = (within / factor, within % factor);
        let rounded = whole + u64::from(rest > 0 && rest * 2 >= factor);
        let number = rounded.to_string();
        let text = match largest {
            Some((spelling, _)) if unit != self.unit || self.count > 1 => format!("{number}{spelling}"),
            _ => number,
        };
        let old = self.dimension.spell(amount);
        if self.never.as_deref() == Some(text.as_str()) {
            return Err(Unfit::MeansNever { old, new: text });
        }
        out.push_str(&text);
        if rounded.checked_mul(factor) == Some(amount) {
            return Ok(None);
        }
        let new = format!("{rounded} {}", unit.symbol);
        Ok(Some(if within == amount {
            Loss::Rounded { old, new, units: unit.plural }
        } else {
            Loss::Bounded { old, new, min: self.min, max: self.max, unit: self.unit.symbol }
        }))
    }
}

/// A number as it is written, so many times; what is less than one is rounded half up.
fn times(number: &str, factor: u64) -> Option<u64> {
    let (whole, fraction) = number.split_once('.').unwrap_or((number, ""));
    if whole.is_empty() && fraction.is_empty() || fraction.len() > 18 {
        return None;
    }
    let digits: u128 = format!("{whole}{fraction}").parse().ok()?;
    let scale = 10_u128.pow(fraction.len() as u32);
    let amount = digits.checked_mul(u128::from(factor))?;
    u64::try_from((amount + scale / 2) / scale).ok()
}
