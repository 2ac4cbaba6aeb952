//! From what a rule captured to the text that is written.

use super::capture::{Capture, Failure, Networks, Prepared};
use super::context::EvalContext;
use super::facts::FailureFact;
use super::step::Step;
use crate::ids::{EntryId, SlotId};
use crate::language::crossing::{Field, Piece, Table, TargetName, TargetStep};
use crate::language::expression::Operand;
use crate::language::profile::names_port;
use crate::language::typing::{Form, Loss, Misread, TypeId, Value, plain_text};
use crate::ledger::fate::Fate;
use crate::mapping::MapFor;
use crate::text::shape::Part;
use crate::tree::Kind;
use ipnet::IpNet;
use std::borrow::Cow;
use std::cell::RefCell;
use std::net::IpAddr;

/// A value of the new side, with whether the map changed it.
#[derive(Clone)]
pub(super) struct Renamed<'t> {
    pub(super) value: Value<'t>,
    pub(super) changed: bool,
}

/// What a piece of a template can draw on.
pub(super) struct Renderer<'h, 'i, 'a> {
    pub(super) here: EvalContext<'h, 'i, 'a>,
    /// By the number of the look-up; empty where none was needed yet.
    pub(super) look_ups: &'h [Option<Networks>],
    /// The capture that was read last and for which setting, since several fields may draw on one.
    last_read: RefCell<Option<Read<'i>>>,
}

/// A capture by its slot and the setting that it is for, with what the map makes of it.
type Read<'i> = ((SlotId, Option<EntryId>), Renamed<'i>);

impl<'i, 'a: 'i> Step<'i, 'a> {
    /// What the map says of values that go from one setting to another; none where it has no say.
    fn map_for(&self, of: Option<EntryId>, to: Option<EntryId>) -> Option<MapFor<'i>> {
        let mapping = self.mapping?;
        let of = of?;
        let new = &self.new_profile().schema.entries;
        if to.is_some_and(|to| !new[to.index()].what.is_mapped()) {
            return None;
        }
        Some(MapFor { mapping, except: self.exempt.of(of, to) })
    }

    fn read(&self, capture: &Capture<'i>, to: Option<EntryId>) -> Result<Renamed<'i>, Failure> {
        let read = self.read_as_is(capture)?;
        let Some(map) = self.map_for(capture.of, to) else { return Ok(read) };
        // A name that is made of others can have an entry of its own.
        if let Value::Parts(_) = read.value
            && let Some(new) = map.mapping.whole_name(capture.text.trim_ascii())
        {
            return Ok(Renamed { value: Value::Text(Cow::Borrowed(new)), changed: true });
        }
        let mut value = read.value;
        let changed = map.remap(&mut value);
        Ok(Renamed { value, changed })
    }

    /// What a capture means on the old side.
    pub(super) fn read_as_is(&self, capture: &Capture<'i>) -> Result<Renamed<'i>, Failure> {
        let Some(kind) = capture.ty else {
            return Ok(Renamed { value: Value::Text(Cow::Borrowed(capture.text)), changed: false });
        };
        let value = self.old().types.read(kind, capture.text).map_err(|Misread { expected }| {
            let is_shown = self.old().types.is_open(kind) && capture.text.chars().count() <= 60;
            Failure::new(if is_shown {
                FailureFact::UnreadText { text: capture.text.to_owned(), expected }
            } else {
                FailureFact::Unread { expected }
            })
        })?;
        Ok(Renamed { value, changed: false })
    }

    /// What was computed from values of the old side, as the map has it: read as what it is to become.
    fn map_computed(&self, value: Value<'i>, ty: TypeId, to: Option<EntryId>) -> Renamed<'i> {
        // What a rule computes from has a declaration, whichever it is: there is no except for it.
        let Some(map) = self.map_for(Some(EntryId::NONE), to) else {
            return Renamed { value, changed: false };
        };
        let Value::Text(text) = &value else { return Renamed { value, changed: false } };
        let mut spelled = String::new();
        let types = &self.new_profile().types;
        let changed = match types.read(ty, text) {
            Ok(mut meant) => map.remap(&mut meant) && types.write(ty, &meant, &mut spelled).is_ok(),
            Err(_) => false,
        };
        if changed {
            Renamed { value: Value::Text(Cow::Owned(spelled)), changed }
        } else {
            Renamed { value, changed }
        }
    }

    /// A value as another type of the new side writes it, with nothing else done to it. `to` is the declaration of
    /// the setting that it is written to.
    pub(super) fn convert(
        &self,
        capture: &Capture<'i>,
        ty: TypeId,
        to: Option<EntryId>,
    ) -> Result<Prepared, Failure> {
        let mut text = String::new();
        let (kind, fate, loss) = self.convert_into(capture, ty, to, &mut text)?;
        Ok(Prepared { text, kind, fate, loss, span: None })
    }

    /// The same into a text that is at hand: how it is written, what became of it, what it lost.
    pub(super) fn convert_into(
        &self,
        capture: &Capture<'i>,
        ty: TypeId,
        to: Option<EntryId>,
        text: &mut String,
    ) -> Result<(Kind, Fate, Option<Loss>), Failure> {
        let Renamed { value, changed } = self.read(capture, to)?;
        let types = &self.new_profile().types;
        let loss = types.write(ty, &value, text).map_err(Failure::new)?;
        let loss = self.names.settle(types, ty, capture.text, text).or(loss);
        self.fits_form(text, to)?;
        let fate = if loss.is_some() { Fate::Approximated } else { fate_of(text, capture.text, changed) };
        Ok((leaf_kind(&types.get(ty).form, text), fate, loss))
    }

    /// Some formats have no way to write some texts.
    fn fits_form(&self, text: &str, to: Option<EntryId>) -> Result<(), Failure> {
        if let Some(why) = self.new_profile().why_not(text, to) {
            return Err(Failure::new(FailureFact::Format { why }));
        }
        let Some(lacking) = self.charset.lacking(text) else { return Ok(()) };
        let (charset, lacking) = (self.charset.name(), lacking.escape_debug().to_string());
        Err(Failure::new(FailureFact::Charset { charset, lacking }))
    }

    fn prepared(&self, text: String, ty: TypeId, fate: Fate, loss: Option<Loss>) -> Prepared {
        let fate = if loss.is_some() { Fate::Approximated } else { fate };
        let kind = leaf_kind(&self.new_profile().types.get(ty).form, &text);
        Prepared { text, kind, fate, loss, span: None }
    }
}

impl<'h, 'i, 'a: 'i> Renderer<'h, 'i, 'a> {
    pub(super) fn new(here: EvalContext<'h, 'i, 'a>, look_ups: &'h [Option<Networks>]) -> Self {
        Self { here, look_ups, last_read: RefCell::default() }
    }

    /// What a capture means.
    fn read(&self, slot: SlotId, to: Option<EntryId>) -> Result<Renamed<'i>, Failure> {
        if let Some((last, read)) = &*self.last_read.borrow()
            && *last == (slot, to)
        {
            return Ok(read.clone());
        }
        let read = self.here.step.read(self.capture(slot)?, to)?;
        *self.last_read.borrow_mut() = Some(((slot, to), read.clone()));
        Ok(read)
    }

    fn capture(&self, slot: SlotId) -> Result<&Capture<'i>, Failure> {
        self.here.slots[slot.index()].as_ref().ok_or_else(|| Failure::new(FailureFact::PartMissing))
    }

    /// What a piece is that goes to a setting, with whether the map changed it; none for what an expression leaves
    /// out. `kind` is what it is to become, where that is known.
    fn piece(
        &self,
        piece: &Piece,
        to: Option<EntryId>,
        ty: Option<TypeId>,
    ) -> Result<Option<Renamed<'i>>, Failure> {
        let plain = |value| Ok(Some(Renamed { value, changed: false }));
        match piece {
            Piece::Literal(text) => plain(Value::Text(Cow::Owned(text.clone()))),
            Piece::Index => plain(Value::Integer(i64::try_from(self.here.index).unwrap_or(i64::MAX))),
            Piece::Kind { table } => {
                let Some(ty) = self.here.object_kind() else {
                    return Err(Failure::new(FailureFact::KindUnfit));
                };
                let value = Value::Text(Cow::Owned(ty.to_owned()));
                match table {
                    Some(table) => plain(look_up_in(table, &value)?),
                    None => plain(value),
                }
            }
            Piece::Slot { slot, table } => match table {
                // Tables speak of old values.
                Some(table) => {
                    plain(look_up_in(table, &self.here.step.read_as_is(self.capture(*slot)?)?.value)?)
                }
                None => Ok(Some(self.read(*slot, to)?)),
            },
            Piece::AsIs { slot } => Ok(Some(self.here.step.read_as_is(self.capture(*slot)?)?)),
            Piece::Expression(expression) => match expression.evaluate(&self.here) {
                Ok(operand) => Ok(operand.into_value().map(|value| match ty {
                    Some(ty) if expression.draws_on_old() && !expression.is_as_is() => {
                        self.here.step.map_computed(value, ty, to)
                    }
                    _ => Renamed { value, changed: false },
                })),
                Err(why) => Err(Failure::new(FailureFact::Expression { text: expression.text.clone(), why })),
            },
            Piece::Optional(pieces) => {
                let mut text = String::new();
                let mut changed = false;
                let has_slot = |piece: &Piece| match piece {
                    Piece::Slot { slot, .. } | Piece::AsIs { slot } | Piece::LookUp { slot, .. } => {
                        self.here.slots[slot.index()].is_some()
                    }
                    _ => true,
                };
                if pieces.iter().all(has_slot) {
                    for piece in pieces {
                        let Some(read) = self.piece(piece, to, None)? else { return Ok(None) };
                        if matches!(read.value, Value::Secret(..)) {
                            return Err(Failure::new(FailureFact::SecretInText));
                        }
                        changed |= read.changed;
                        text.push_str(&self.spelled(piece, &read.value));
                    }
                }
                Ok(Some(Renamed { value: Value::Text(Cow::Owned(text)), changed }))
            }
            Piece::LookUp { slot, look_up } => {
                // Found on the old side: what is found is an object, and goes where that went.
                let read = self.here.step.read_as_is(self.capture(*slot)?)?;
                let Value::Address(address) = read.value else {
                    return Err(Failure::new(FailureFact::NoAddress));
                };
                // The narrowest network that holds it.
                let networks = self.look_ups[look_up.index()].as_ref();
                let found = networks.and_then(|networks| narrowest(&networks.found, address));
                if let Some(name) = found {
                    return plain(Value::Text(Cow::Owned(name.clone())));
                }
                Err(Failure {
                    because: networks.and_then(|networks| narrowest(&networks.lost, address)).copied(),
                    ..Failure::new(FailureFact::NotFound { address: address.to_string() })
                })
            }
        }
    }

    /// A value within a text. What has several parts is put together as the old platform does it.
    fn spelled(&self, piece: &Piece, value: &Value<'_>) -> String {
        if let (Piece::Slot { slot, .. }, Value::Parts(_) | Value::List(_)) = (piece, value)
            && let Some(kind) = self.here.slots[slot.index()].and_then(|capture| capture.ty)
        {
            let mut text = String::new();
            let written = self.here.step.old().types.write(kind, value, &mut text);
            return written.map_or_else(|_| String::new(), |_| text);
        }
        plain_text(value).into_owned()
    }

    /// The name that a step of a target has, and what became of the capture in it.
    pub(super) fn name(&self, step: &'i TargetStep) -> Result<(Cow<'i, str>, Fate), Failure> {
        match &step.name {
            TargetName::Literal(name) => Ok((Cow::Borrowed(name), Fate::Carried)),
            TargetName::Made { pieces, ty, .. } => {
                let mut text = String::new();
                if let [Piece::Slot { slot, table: None }] = &pieces[..] {
                    let capture = self.capture(*slot)?;
                    let Renamed { value, changed } = self.here.step.read(capture, None)?;
                    match ty {
                        Some(kind) => {
                            let step = self.here.step;
                            let types = &step.new_profile().types;
                            let loss = types.write(*kind, &value, &mut text).map_err(Failure::new)?;
                            let loss = step.names.settle(types, *kind, capture.text, &mut text).or(loss);
                            if loss.is_some() {
                                return Ok((Cow::Owned(text), Fate::Approximated));
                            }
                        }
                        None => text.push_str(&self.spelled(&pieces[0], &value)),
                    }
                    let fate = fate_of(&text, capture.text, changed);
                    return Ok((Cow::Owned(text), fate));
                }
                if let Some(new) = self.whole_name(pieces) {
                    return Ok((Cow::Owned(new.to_owned()), Fate::Remapped));
                }
                if let ([piece], Some(kind)) = (&pieces[..], ty) {
                    let Some(read) = self.piece(piece, None, Some(*kind))? else {
                        return Err(Failure::new(FailureFact::PartMissing));
                    };
                    let types = &self.here.step.new_profile().types;
                    types.write(*kind, &read.value, &mut text).map_err(Failure::new)?;
                    return Ok((Cow::Owned(text), if read.changed { Fate::Remapped } else { Fate::Recast }));
                }
                let kind = None;
                let mut fate = Fate::Recast;
                for piece in pieces.iter() {
                    if let Some(read) = self.piece(piece, None, kind)? {
                        text.push_str(&self.spelled(piece, &read.value));
                        if read.changed {
                            fate = Fate::Remapped;
                        }
                    }
                }
                Ok((Cow::Owned(text), fate))
            }
        }
    }

    /// What a field is to hold, or `None` if its expression leaves it out. It is written into `text`, which is empty.
    pub(super) fn prepare(&self, field: &Field, mut text: String) -> Result<Option<Prepared>, Failure> {
        let step = self.here.step;
        let types = &step.new_profile().types;
        let (loss, fate) = match field.template.as_slice() {
            [only] => {
                let read = self.piece(only, Some(field.entry), Some(field.ty))?;
                let Some(Renamed { value, changed }) = read else { return Ok(None) };
                let mut loss = types.write(field.ty, &value, &mut text).map_err(Failure::new)?;
                if let Piece::Slot { slot, table: None } = only {
                    let old = self.capture(*slot)?.text;
                    loss = step.names.settle(types, field.ty, old, &mut text).or(loss);
                }
                let fate = match only {
                    _ if changed => Fate::Remapped,
                    Piece::Slot { slot, .. } | Piece::AsIs { slot } => {
                        let capture = self.capture(*slot)?;
                        if capture.whole { fate_of(&text, capture.text, changed) } else { Fate::Folded }
                    }
                    _ => Fate::Recast,
                };
                (loss, fate)
            }
            pieces => match self.whole_name(pieces).filter(|_| names_port(types, field.ty)) {
                Some(new) => {
                    let value = Value::Text(Cow::Borrowed(new));
                    (types.write(field.ty, &value, &mut text).map_err(Failure::new)?, Fate::Remapped)
                }
                None => self.join(pieces, field, &mut text)?,
            },
        };
        step.fits_form(&text, Some(field.entry))?;
        let mut prepared = step.prepared(text, field.ty, fate, loss);
        if let ([Piece::Slot { slot, table: None }], Fate::Carried) =
            (field.template.as_slice(), prepared.fate)
        {
            prepared.span = step.tree.source().span_of(self.capture(*slot)?.text);
        }
        if step.new_profile().is_attribute(field.entry) {
            prepared.kind = Kind::Attribute;
        }
        Ok(Some(prepared))
    }

    /// Several pieces as one value: by the shape of the new type that has the same pieces, or else
    /// as their plain texts one after the other.
    fn join(
        &self,
        pieces: &[Piece],
        field: &Field,
        out: &mut String,
    ) -> Result<(Option<Loss>, Fate), Failure> {
        let kind = field.ty;
        let types = &self.here.step.new_profile().types;
        let same = |part: &Part, piece: &Piece| match (part, piece) {
            (Part::Literal(ours), Piece::Literal(theirs)) => ours == theirs,
            (Part::Capture(_), piece) => !matches!(piece, Piece::Literal(_) | Piece::Optional(_)),
            _ => false,
        };
        let alternative = match &types.get(kind).form {
            Form::Shaped(alternatives) => alternatives.iter().find(|alternative| {
                let parts = &alternative.shape.parts;
                parts.len() == pieces.len() && parts.iter().zip(pieces).all(|(part, piece)| same(part, piece))
            }),
            _ => None,
        };
        let mut loss = None;
        let mut captures = 0;
        let mut fate = Fate::Folded;
        for piece in pieces {
            if let Piece::Literal(literal) = piece {
                out.push_str(literal);
                continue;
            }
            let part = alternative.map(|alternative| alternative.types[captures]);
            let read = self.piece(piece, Some(field.entry), part)?;
            if read.as_ref().is_some_and(|read| read.changed) {
                fate = Fate::Remapped;
            }
            let value = read.map(|read| read.value);
            match (alternative, value) {
                (Some(alternative), Some(value)) => {
                    loss =
                        types.write(alternative.types[captures], &value, out).map_err(Failure::new)?.or(loss);
                }
                (None, Some(Value::Secret(..))) => {
                    return Err(Failure::new(FailureFact::SecretInText));
                }
                (None, Some(value)) => out.push_str(&self.spelled(piece, &value)),
                (_, None) => {}
            }
            captures += 1;
        }
        if alternative.is_none() {
            let joined = std::mem::take(out);
            loss = types.write(kind, &Value::Text(Cow::Owned(joined)), out).map_err(Failure::new)?.or(loss);
        }
        Ok((loss, fate))
    }

    /// The new name that the map gives a name that is made of pieces, by how the old side spells it.
    fn whole_name(&self, pieces: &[Piece]) -> Option<&'i str> {
        let mapping = self.here.step.mapping.filter(|mapping| mapping.has_whole_names())?;
        let mut old = String::new();
        for piece in pieces {
            match piece {
                Piece::Literal(text) => old.push_str(text),
                Piece::Slot { slot, table: None } => {
                    old.push_str(self.capture(*slot).ok()?.text.trim_ascii());
                }
                _ => return None,
            }
        }
        mapping.whole_name(&old)
    }
}

/// What belongs to the narrowest network that holds an address.
fn narrowest<T>(networks: &[(IpNet, T)], address: IpAddr) -> Option<&T> {
    let holding = networks.iter().filter(|(network, _)| network.contains(&address));
    holding.max_by_key(|(network, _)| network.prefix_len()).map(|(_, found)| found)
}

fn look_up_in(table: &Table, value: &Value<'_>) -> Result<Value<'static>, Failure> {
    if matches!(value, Value::Secret(..)) {
        return Err(Failure::new(FailureFact::SecretInTable));
    }
    let old = plain_text(value);
    match table.get(&old) {
        Some(new) => Ok(Value::Text(Cow::Owned(new.to_owned()))),
        None => Err(Failure::new(FailureFact::NotInTable { value: old.into_owned() })),
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
        Form::Quantity(_) | Form::PrefixLength { .. } => text.bytes().all(|b| b.is_ascii_digit()),
        Form::Boolean { .. } => matches!(text, "true" | "false"),
        _ => false,
    };
    if bare && !text.is_empty() { Kind::Bare } else { Kind::Text }
}

/// What a person answered, or the default, as expressions see it.
pub(super) fn fact(text: &str, kind: crate::language::expression::OperandKind) -> Option<Operand> {
    use crate::language::expression::OperandKind;
    match kind {
        OperandKind::Integer => text.trim().parse().ok().map(Operand::Integer),
        OperandKind::Boolean => match text.trim() {
            "true" | "yes" => Some(Operand::Boolean(true)),
            "false" | "no" => Some(Operand::Boolean(false)),
            _ => None,
        },
        OperandKind::Text | OperandKind::List | OperandKind::Unknown => Some(Operand::Text(text.to_owned())),
    }
}
