//! Writing a value as a type, and saying what was lost on the way.

use super::read::{find_choice, integer_range};
use super::{Family, Form, Loss, PrefixNotation, Secret, TypeId, Types, Unfit, Value};
use crate::finding::OneOf;
use crate::text::shape::Part;
use std::borrow::Cow;
use std::fmt::Write as _;
use std::net::{IpAddr, Ipv4Addr};

impl Types {
    /// Appends `value` to `out` as the type `id` spells it.
    ///
    /// # Errors
    /// Why the type cannot hold the value. `out` is then to be thrown away.
    pub(crate) fn write(
        &self,
        id: TypeId,
        value: &Value<'_>,
        out: &mut String,
    ) -> Result<Option<Loss>, Unfit> {
        let form = &self.get(id).form;
        match (form, value) {
            (Form::Secret(secret @ Secret { kept: new, .. }), Value::Secret(text, old)) => {
                if let Some(why) = old.unusable(new) {
                    return Err(Unfit::SecretUnusable { why });
                }
                if new != old {
                    return Err(Unfit::SecretKept { old: old.to_string(), new: new.to_string() });
                }
                if let Some(expected) = secret.misfit(text) {
                    return Err(Unfit::SecretShape { expected });
                }
                // White space around a textual encoding is none of it (RFC 7468, section 2).
                out.push_str(if secret.is_pem() { text.trim_ascii() } else { text });
                Ok(None)
            }
            // A secret never becomes a value that may be shown, nor the other way about.
            (Form::Secret(_), _) => Err(Unfit::NoSecret),
            (_, Value::Secret(..)) => Err(Unfit::SecretShown),
            // A text is taken as it would be from a file of the new system.
            (Form::Shaped(_), Value::Text(text)) if self.read(id, text).is_ok() => {
                out.push_str(text);
                Ok(None)
            }
            (Form::Shaped(alternatives), value) => self.write_shaped(alternatives, value, out),
            (Form::List { of, separator }, Value::List(parts)) => {
                let mut loss = None;
                for (index, part) in parts.iter().enumerate() {
                    if index > 0 {
                        out.push_str(separator);
                    }
                    loss = self.write(*of, part, out)?.or(loss);
                }
                Ok(loss)
            }
            (Form::List { of, .. }, value) => self.write(*of, value, out),
            (_, Value::List(parts)) if parts.len() == 1 => self.write(id, &parts[0], out),
            (_, Value::List(_)) => Err(Unfit::SeveralValues),
            (_, Value::Parts(_)) => Err(Unfit::SeveralParts),
            (Form::Text(limits), value) => {
                let text = plain_text(value);
                match limits.too_short(&text) {
                    Some(least) => Err(Unfit::TooShort { least }),
                    None => Ok(limits.write(&text, out)),
                }
            }
            (Form::Command(_), Value::Text(text)) => {
                out.push_str(text);
                Ok(None)
            }
            (Form::Name { limits, .. }, Value::Text(text)) => Ok(limits.write(text, out)),
            (Form::Integer { min, max, .. }, Value::Integer(number)) => {
                let kept = *number.clamp(min, max);
                push_number(kept, out);
                Ok((kept != *number).then(|| Loss::Clamped {
                    old: *number,
                    new: kept,
                    range: integer_range(*min, *max),
                }))
            }
            (Form::Boolean { on, off, .. }, Value::Boolean(boolean)) => {
                let spelling = if *boolean { on.first() } else { off.first() };
                match spelling {
                    Some(spelling) => {
                        out.push_str(spelling);
                        Ok(None)
                    }
                    None => Err(Unfit::NoBoolean { value: *boolean }),
                }
            }
            (Form::Choice { values, any_case }, Value::Choice(name) | Value::Text(name)) => {
                match find_choice(values, name, *any_case) {
                    Some(spelling) => {
                        out.push_str(spelling);
                        Ok(None)
                    }
                    None => {
                        let known = OneOf::of(values.iter().filter_map(|value| value.first()).cloned());
                        Err(Unfit::NoChoice { name: name.to_string(), known })
                    }
                }
            }
            (Form::Quantity(quantity), Value::Quantity(dimension, amount))
                if quantity.dimension == *dimension =>
            {
                quantity.write(*amount, out)
            }
            (Form::Quantity(quantity), Value::Never) => match &quantity.never {
                Some(never) => {
                    out.push_str(never);
                    Ok(None)
                }
                None => Err(Unfit::NoNever),
            },
            (Form::Address { family }, Value::Address(address)) if family.takes(*address) => {
                push_address(*address, out);
                Ok(None)
            }
            (Form::Network { family }, Value::Network(network)) if family.takes(network.addr()) => {
                push_address(network.addr(), out);
                out.push('/');
                push_number(network.prefix_len(), out);
                Ok(None)
            }
            // One host is the network of that host alone.
            (Form::Network { family }, Value::Address(address)) if family.takes(*address) => {
                push_address(*address, out);
                out.push_str(if address.is_ipv4() { "/32" } else { "/128" });
                Ok(None)
            }
            (Form::Address { family }, Value::Address(_))
            | (Form::Network { family }, Value::Network(_) | Value::Address(_)) => Err(wrong_family(*family)),
            (Form::PrefixLength { written: PrefixNotation::Length }, Value::PrefixLength(length)) => {
                push_number(*length, out);
                Ok(None)
            }
            (Form::PrefixLength { written: PrefixNotation::Mask }, Value::PrefixLength(length)) => {
                if *length > 32 {
                    return Err(Unfit::NoMask { length: *length });
                }
                let mask = u32::MAX.checked_shl(32 - u32::from(*length)).unwrap_or(0);
                let _ = write!(out, "{}", Ipv4Addr::from(mask));
                Ok(None)
            }
            (Form::Mac { separator, upper }, Value::Mac(mac)) => {
                for (at, byte) in mac.iter().enumerate() {
                    if at > 0 {
                        out.push(*separator);
                    }
                    let digits: &[u8; 16] = if *upper { b"0123456789ABCDEF" } else { b"0123456789abcdef" };
                    out.push(char::from(digits[usize::from(byte >> 4)]));
                    out.push(char::from(digits[usize::from(byte & 15)]));
                }
                Ok(None)
            }
            (Form::Port, Value::Port(name)) | (Form::Path, Value::Path(name)) => {
                out.push_str(name);
                Ok(None)
            }
            (Form::Host, Value::Address(address)) => {
                let _ = write!(out, "{address}");
                Ok(None)
            }
            // Anything else goes over its text, as if it had been read from the new system's file.
            (_, value) => {
                let text = plain_text(value);
                match self.read(id, &text) {
                    Ok(Value::Text(text)) => {
                        out.push_str(&text);
                        Ok(None)
                    }
                    Ok(read) if read != *value => self.write(id, &read, out),
                    Ok(_) => Err(Unfit::OtherType { name: self.get(id).name.clone() }),
                    Err(misread) => Err(Unfit::Expected { expected: misread.expected }),
                }
            }
        }
    }

    fn write_shaped(
        &self,
        alternatives: &[super::Alternative],
        value: &Value<'_>,
        out: &mut String,
    ) -> Result<Option<Loss>, Unfit> {
        // A lone value is the one capture of a shape, such as a port of a name that may also be a VLAN's.
        let lone;
        let parts: &[(Cow<'_, str>, Value<'_>)] = match value {
            Value::Parts(parts) => parts,
            Value::Text(text) => {
                let same = alternatives.iter().any(|a| a.shape.as_literal() == Some(text.as_ref()));
                if same {
                    out.push_str(text);
                    return Ok(None);
                }
                lone = [(Cow::Borrowed(""), value.clone())];
                &lone
            }
            other => {
                lone = [(Cow::Borrowed(""), other.clone())];
                &lone
            }
        };
        let fitting = alternatives.iter().find(|alternative| {
            let names: Vec<&str> = alternative.shape.captures().collect();
            names.len() == parts.len()
                && (parts.len() == 1 && (parts[0].0.is_empty() || names[0] == parts[0].0)
                    || names.iter().all(|name| parts.iter().any(|(part, _)| part == name)))
        });
        let Some(alternative) = fitting else {
            return Err(Unfit::OtherParts);
        };
        let mut loss = None;
        for piece in &alternative.shape.parts {
            match piece {
                Part::Literal(text) => out.push_str(text),
                Part::Any | Part::Choice { .. } => {}
                Part::Capture(capture) => {
                    let part = parts.iter().find(|(part, _)| *part == capture.name).unwrap_or(&parts[0]);
                    loss = self.write(alternative.types[capture.slot], &part.1, out)?.or(loss);
                }
            }
        }
        Ok(loss)
    }
}

fn push_number(number: impl itoa::Integer, out: &mut String) {
    out.push_str(itoa::Buffer::new().format(number));
}

/// As `Display` writes it, with less ado for the most frequent.
fn push_address(address: IpAddr, out: &mut String) {
    let IpAddr::V4(address) = address else {
        let _ = write!(out, "{address}");
        return;
    };
    for (at, octet) in address.octets().into_iter().enumerate() {
        if at > 0 {
            out.push('.');
        }
        push_number(octet, out);
    }
}

fn wrong_family(family: Family) -> Unfit {
    Unfit::OtherFamily { family: family.word() }
}

/// The value in plain words of no system in particular.
pub(crate) fn plain_text<'v>(value: &'v Value<'_>) -> Cow<'v, str> {
    match value {
        Value::Text(text) | Value::Choice(text) | Value::Port(text) | Value::Path(text) => {
            Cow::Borrowed(text)
        }
        Value::Integer(number) => Cow::Owned(number.to_string()),
        Value::Boolean(boolean) => Cow::Borrowed(if *boolean { "true" } else { "false" }),
        Value::Quantity(dimension, amount) => Cow::Owned(dimension.spell(*amount)),
        Value::Never => Cow::Borrowed("never"),
        Value::Address(address) => Cow::Owned(address.to_string()),
        Value::Network(network) => Cow::Owned(network.to_string()),
        Value::PrefixLength(length) => Cow::Owned(length.to_string()),
        Value::Mac(mac) => {
            Cow::Owned(mac.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<_>>().join(":"))
        }
        // Neither is reached: `write` turns them down first, and a secret must not become plain.
        Value::Secret(..) | Value::Parts(_) | Value::List(_) => Cow::Borrowed(""),
    }
}
