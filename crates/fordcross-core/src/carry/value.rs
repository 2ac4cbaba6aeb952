//! From what a rule captured to the text that is written.

use crate::carry::CarryInput;
use crate::crossing::{Field, Piece, Table, TargetName, TargetStep};
use crate::fate::Fate;
use crate::finding::Code;
use crate::mapping::PortTarget;
use crate::shape::Part;
use crate::tree::Kind;
use crate::typing::{Form, Loss, Misread, TypeId, Unfit, Value, plain_text};
use std::borrow::Cow;

/// What a rule captured: a text of the old side with its type there.
#[derive(Clone, Copy, Debug)]
pub(super) struct Bound<'t> {
    /// The row that it is from.
    pub(super) row: u32,
    pub(super) text: &'t str,
    pub(super) kind: Option<TypeId>,
    /// The capture is the whole value of its setting.
    pub(super) whole: bool,
}

/// A field, ready to be written.
pub(super) struct Prepared<'t> {
    pub(super) text: Cow<'t, str>,
    pub(super) kind: Kind,
    pub(super) fate: Fate,
    pub(super) loss: Option<String>,
}

/// Why a value cannot be carried.
#[derive(Clone, Debug)]
pub(super) struct Failure {
    pub(super) code: Code,
    pub(super) message: String,
}

/// A value of the new side, with whether the map changed it.
struct Renamed<'t> {
    value: Value<'t>,
    changed: bool,
}

impl<'i, 'a: 'i> CarryInput<'i, 'a> {
    fn read(&self, bound: &Bound<'i>) -> Result<Renamed<'i>, Failure> {
        let Some(kind) = bound.kind else {
            return Ok(Renamed { value: Value::Text(Cow::Borrowed(bound.text)), changed: false });
        };
        let mut value = self.old.types.read(kind, bound.text).map_err(|Misread { expected }| {
            let message = if self.old.types.is_secret(kind) || bound.text.chars().count() > 60 {
                format!("the value cannot be read: expected {expected}")
            } else {
                format!("`{}` cannot be read: expected {expected}", bound.text)
            };
            Failure { code: Code::ValueUnread, message }
        })?;
        let changed = value.rename_ports(&|old| match self.mapping.port(old) {
            PortTarget::New(new) => Some(new.as_str()),
            _ => None,
        });
        Ok(Renamed { value, changed })
    }

    /// The name that a step of a target has, and what became of the capture in it.
    pub(super) fn name(
        &self,
        step: &'i TargetStep,
        slots: &[Option<Bound<'i>>],
    ) -> Result<(Cow<'i, str>, Fate), Failure> {
        match &step.name {
            TargetName::Literal(name) => Ok((Cow::Borrowed(name), Fate::Carried)),
            TargetName::Slot { slot, kind } => {
                let Some(bound) = &slots[*slot] else {
                    return Err(Failure {
                        code: Code::ValueUnread,
                        message: "the object has no such key".into(),
                    });
                };
                let Renamed { value, changed } = self.read(bound)?;
                let mut text = String::new();
                match kind {
                    Some(kind) => {
                        self.new.types.write(*kind, &value, &mut text).map_err(unfit)?;
                    }
                    None => text.push_str(&plain_text(&value)),
                }
                let fate = fate_of(&text, bound.text, changed);
                Ok((Cow::Owned(text), fate))
            }
        }
    }

    /// What a field is to hold.
    pub(super) fn prepare(
        &self,
        field: &Field,
        slots: &[Option<Bound<'i>>],
    ) -> Result<Prepared<'i>, Failure> {
        let mut text = String::new();
        let (loss, fate) = match field.template.as_slice() {
            [Piece::Literal(literal)] => {
                let value = Value::Text(Cow::Borrowed(literal));
                (self.new.types.write(field.kind, &value, &mut text).map_err(unfit)?, Fate::Recast)
            }
            [Piece::Slot { slot, table }] => {
                let Some(bound) = &slots[*slot] else { return Err(missing()) };
                let Renamed { value, changed } = self.read(bound)?;
                let value = match table {
                    Some(table) => look_up(table, &value)?,
                    None => value,
                };
                let loss = self.new.types.write(field.kind, &value, &mut text).map_err(unfit)?;
                let fate = if bound.whole { fate_of(&text, bound.text, changed) } else { Fate::Folded };
                (loss, fate)
            }
            pieces => (self.join(pieces, field.kind, slots, &mut text)?, Fate::Folded),
        };
        let kind = leaf_kind(&self.new.types.get(field.kind).form, &text);
        let fate = if loss.is_some() { Fate::Approximated } else { fate };
        Ok(Prepared { text: Cow::Owned(text), kind, fate, loss: loss.map(|Loss(loss)| loss) })
    }

    /// Several pieces as one value: by the shape of the new type that has the same pieces, or else
    /// as their plain texts one after the other.
    fn join(
        &self,
        pieces: &[Piece],
        kind: TypeId,
        slots: &[Option<Bound<'i>>],
        out: &mut String,
    ) -> Result<Option<Loss>, Failure> {
        let same = |part: &Part, piece: &Piece| match (part, piece) {
            (Part::Literal(ours), Piece::Literal(theirs)) => ours == theirs,
            (Part::Capture { .. }, Piece::Slot { .. }) => true,
            _ => false,
        };
        let alternative = match &self.new.types.get(kind).form {
            Form::Shaped(alternatives) => alternatives.iter().find(|alternative| {
                let parts = &alternative.shape.parts;
                parts.len() == pieces.len() && parts.iter().zip(pieces).all(|(part, piece)| same(part, piece))
            }),
            _ => None,
        };
        let mut loss = None;
        let mut captures = 0;
        for piece in pieces {
            match piece {
                Piece::Literal(literal) => out.push_str(literal),
                Piece::Slot { slot, table } => {
                    let Some(bound) = &slots[*slot] else { return Err(missing()) };
                    let mut value = self.read(bound)?.value;
                    if let Some(table) = table {
                        value = look_up(table, &value)?;
                    }
                    match alternative {
                        Some(alternative) => {
                            let part = alternative.types[captures];
                            loss = self.new.types.write(part, &value, out).map_err(unfit)?.or(loss);
                        }
                        None if matches!(value, Value::Secret(..)) => {
                            return Err(Failure {
                                code: Code::ValueUnfit,
                                message: "a secret cannot become part of a value that is shown".into(),
                            });
                        }
                        None => out.push_str(&plain_text(&value)),
                    }
                    captures += 1;
                }
            }
        }
        if alternative.is_none() {
            let joined = std::mem::take(out);
            loss = self.new.types.write(kind, &Value::Text(Cow::Owned(joined)), out).map_err(unfit)?.or(loss);
        }
        Ok(loss)
    }
}

fn missing() -> Failure {
    Failure { code: Code::ValueUnread, message: "a part of the value is missing".into() }
}

fn unfit(Unfit(message): Unfit) -> Failure {
    Failure { code: Code::ValueUnfit, message }
}

fn look_up(table: &Table, value: &Value<'_>) -> Result<Value<'static>, Failure> {
    let old = plain_text(value);
    match table.get(&old) {
        Some(new) => Ok(Value::Text(Cow::Owned(new.to_owned()))),
        None if matches!(value, Value::Secret(..)) => {
            Err(Failure { code: Code::ValueUnfit, message: "a secret cannot be looked up in a table".into() })
        }
        None => Err(Failure {
            code: Code::ValueUnfit,
            message: format!("the crossing's table has nothing for `{old}`"),
        }),
    }
}

fn fate_of(new: &str, old: &str, changed_by_map: bool) -> Fate {
    if new == old {
        Fate::Carried
    } else if changed_by_map {
        Fate::Remapped
    } else {
        Fate::Recast
    }
}

/// How the new form writes a value of that type: numbers and truth values bare, all else as text.
pub(super) fn leaf_kind(form: &Form, text: &str) -> Kind {
    let bare = match form {
        Form::Integer { .. } => true,
        Form::Duration { .. } | Form::PrefixLength { .. } => text.bytes().all(|b| b.is_ascii_digit()),
        Form::Boolean { .. } => matches!(text, "true" | "false"),
        _ => false,
    };
    if bare && !text.is_empty() { Kind::Bare } else { Kind::Text }
}
