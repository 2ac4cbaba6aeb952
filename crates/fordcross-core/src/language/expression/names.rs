//! A set of names as the expression language can hold it: a map of names could be asked by `in` just so, but is
//! copied whole each time that an expression sees it.

use cel::ExecutionError;
use cel::common::traits::Container;
use cel::common::types::{CelString, Kind, Type};
use cel::common::value::Val;
use rustc_hash::FxHashSet;
use std::sync::Arc;

static TYPE: Type = Type::simple_type(Kind::Opaque, "names");

/// Names that can be asked for by `in`.
#[derive(Clone, Debug)]
pub(super) struct Names(pub(super) Arc<FxHashSet<String>>);

impl Val for Names {
    fn get_type(&self) -> &Type {
        &TYPE
    }

    fn cel_type() -> &'static Type {
        &TYPE
    }

    fn as_container(&self) -> Option<&dyn Container> {
        Some(self)
    }

    fn clone_as_boxed<'v>(&self) -> Box<dyn Val + 'v>
    where
        Self: 'v,
    {
        Box::new(self.clone())
    }
}

impl Container for Names {
    fn contains(&self, value: &dyn Val) -> Result<bool, ExecutionError> {
        // What is no text is the name of nothing.
        Ok(value.downcast_ref::<CelString<'_>>().is_some_and(|name| self.0.contains(name.inner())))
    }
}
