//! Tags and attributes.

use super::{
    Kind, MAX_DEPTH, Malformed, NodeId, Open, Own, Scanner, Span, Text, chars, memchr, memchr2, memchr3,
    memmem,
};
use crate::format::xml::facts::XmlFact;

impl Scanner<'_> {
    pub(super) fn start_tag(&mut self) -> Result<bool, Malformed> {
        let start = self.at;
        let name_end = start + 1 + chars::name_len(&self.text[start + 1..]);
        if name_end == start + 1 {
            return self.fail(start, start + 1, XmlFact::NoTag);
        }
        if self.open.len() >= MAX_DEPTH {
            return self.fail(start, name_end, XmlFact::TooDeep { most: MAX_DEPTH });
        }
        let outermost = self.open.is_empty();
        let holder = self.holder();
        let name = Span::new(start + 1, name_end);
        if let Some(open) = self.open.last_mut() {
            open.has_elements = true;
        }
        if self.plain_leaf(holder, name) {
            return Ok(outermost);
        }
        let id = self.tree.push(holder, Kind::Map, &self.text[name.range()], Span::new(start, start));
        self.at = name_end;
        loop {
            let before = self.at;
            self.skip_space();
            match self.text.as_bytes().get(self.at) {
                Some(b'>') => {
                    self.at += 1;
                    self.open.push(Open { id, name, has_elements: false, own: Own::None });
                    return Ok(outermost);
                }
                Some(b'/') if self.text.as_bytes().get(self.at + 1) == Some(&b'>') => {
                    self.at += 2;
                    self.close(Open { id, name, has_elements: false, own: Own::None });
                    return Ok(outermost);
                }
                Some(_) if self.at == before => {
                    return self.fail(self.at, self.at + 1, XmlFact::TagSpace);
                }
                Some(_) => self.attribute(id)?,
                None => return self.fail(start, name_end, XmlFact::TagOpen),
            }
        }
    }

    /// Reads an element whole that has nothing but its name and a text without references, as most have; says
    /// whether it is one.
    pub(super) fn plain_leaf(&mut self, holder: NodeId, name: Span) -> bool {
        let bytes = self.text.as_bytes();
        let name_end = name.end as usize;
        if bytes.get(name_end) != Some(&b'>') {
            return false;
        }
        let from = name_end + 1;
        let Some(len) = memchr2(b'<', b'&', &bytes[from..]) else { return false };
        let value = Span::new(from, from + len);
        let text = &bytes[value.range()];
        let name = &self.text[name.range()];
        let end_tag = bytes[from + len..].strip_prefix(b"</");
        let behind = end_tag.and_then(|rest| rest.strip_prefix(name.as_bytes()));
        let ends = behind.is_some_and(|rest| rest.first() == Some(&b'>'));
        if !ends
            || self.has_returns && memchr(b'\r', text).is_some()
            || self.has_section_ends && memmem::find(text, b"]]>").is_some()
        {
            return false;
        }
        let end = from + len + 2 + name.len() + 1;
        let id = self.tree.push(holder, Kind::Text, name, Span::new(from - name.len() - 2, end));
        self.tree.set_value(id, if len == 0 { Text::Decoded("") } else { Text::Borrowed(value) });
        self.at = end;
        true
    }

    pub(super) fn attribute(&mut self, holder: NodeId) -> Result<(), Malformed> {
        let start = self.at;
        let name_end = start + chars::name_len(self.rest());
        if name_end == start {
            return self.fail(start, start + 1, XmlFact::NoAttribute);
        }
        let name = &self.text[start..name_end];
        if self.is_repeated(holder, name) {
            return self.fail(start, name_end, XmlFact::AttributeTwice { name: name.to_owned() });
        }
        self.at = name_end;
        self.skip_space();
        if self.text.as_bytes().get(self.at) != Some(&b'=') {
            return self.fail(start, name_end, XmlFact::AttributeAlone);
        }
        self.at += 1;
        self.skip_space();
        let Some(&quote @ (b'"' | b'\'')) = self.text.as_bytes().get(self.at) else {
            return self.fail(start, name_end, XmlFact::AttributeUnquoted { name: name.to_owned() });
        };
        let value = self.at + 1;
        let Some(len) = memchr3(quote, b'<', b'&', &self.text.as_bytes()[value..]) else {
            return self.fail(start, name_end, XmlFact::AttributeOpen { name: name.to_owned() });
        };
        let mut end = value + len;
        let mut plain = self.text.as_bytes()[end] == quote;
        if !plain {
            end = match memchr2(quote, b'<', &self.text.as_bytes()[end..]) {
                Some(len) => end + len,
                None => {
                    return self.fail(start, name_end, XmlFact::AttributeOpen { name: name.to_owned() });
                }
            };
            if self.text.as_bytes()[end] == b'<' {
                return self.fail(end, end + 1, XmlFact::TagInAttribute);
            }
        }
        plain &= !self.text.as_bytes()[value..end].iter().any(|b| matches!(b, b'\t' | b'\n' | b'\r'));
        let id =
            self.tree.push(holder, Kind::Attribute, &self.text[start..name_end], Span::new(start, end + 1));
        if plain {
            self.tree.set_value(id, Text::Borrowed(Span::new(value, end)));
        } else {
            self.scratch.clear();
            self.decode(value, end, true)?;
            self.tree.set_value(id, Text::Decoded(&self.scratch));
        }
        self.at = end + 1;
        Ok(())
    }

    /// Whether the element has the attribute already: few are looked through, many are hashed.
    pub(super) fn is_repeated(&mut self, holder: NodeId, name: &str) -> bool {
        const LINEAR_SEARCH_LIMIT: usize = 16;
        if self.attributes.0 != holder {
            self.attributes = (holder, 0);
            self.attribute_names.clear();
        }
        self.attributes.1 += 1;
        if self.attributes.1 <= LINEAR_SEARCH_LIMIT {
            return self.tree.child(holder, name).is_some();
        }
        if self.attribute_names.is_empty() {
            let names: Vec<Box<str>> =
                self.tree.children(holder).map(|id| self.tree.name(id).into()).collect();
            self.attribute_names.extend(names);
        }
        !self.attribute_names.insert(name.into())
    }

    pub(super) fn end_tag(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let name_end = start + 2 + chars::name_len(&self.text[start + 2..]);
        let name = &self.text[start + 2..name_end];
        let Some(open) = self.open.pop() else {
            return self.fail(start, name_end, XmlFact::EndOfNothing { name: name.to_owned() });
        };
        let expected = &self.text[open.name.range()];
        if name != expected {
            return self.fail(
                start,
                name_end,
                XmlFact::EndOfOther { name: name.to_owned(), open: expected.to_owned() },
            );
        }
        self.at = name_end;
        self.skip_space();
        if self.text.as_bytes().get(self.at) != Some(&b'>') {
            return self.fail(start, name_end, XmlFact::EndOpen { name: name.to_owned() });
        }
        self.at += 1;
        self.close(open);
        Ok(())
    }

    /// Ends an element: one that has neither attributes, comments nor child elements is a leaf.
    pub(super) fn close(&mut self, open: Open) {
        let Open { id, has_elements, own, .. } = open;
        self.tree.set_end(id, self.at);
        if self.tree.is_childless(id) {
            self.tree.make_leaf(id, own.text());
        } else if !has_elements || !own.is_blank(self.text) {
            let span = match &own {
                Own::Spelled(span) => *span,
                _ => self.tree.span(id),
            };
            let text = self.tree.push(id, Kind::OwnText, "", span);
            self.tree.set_value(text, own.text());
        }
    }
}
