//! Each rule of Osier is needed.

use crate::cases::Outcome;
use crate::gateways::{self, Case, OSIER, planted, refused};
use crate::search::{Receiving, no_rule_can_be_spared};
use std::path::Path;

struct Gateways;

impl Receiving for Gateways {
    type Case = Case;
    const LINE: &'static str = "osier";
    const PROFILE: &'static str = OSIER;
    const SPARED: &'static [(&'static str, &'static str)] = &[
        ("min of vlan-id", "every line has the same limit, so that nothing else gets here"),
        ("max of vlan-id", "the same"),
        ("min of port-number", "the same"),
        ("max of port-number", "the same"),
        ("min of small", "the same"),
        ("count of osier-export", "the program itself writes it"),
        ("required \"release\" of osier-export", "the same"),
        ("required \"model\" of osier-export", "the same"),
    ];

    fn cases() -> Vec<Case> {
        planted().into_iter().chain(gateways::cases()).collect()
    }

    fn case_of(number: u64) -> Option<Case> {
        gateways::case_of(number)
    }

    fn number(case: &Case) -> u64 {
        case.number
    }

    fn carry(case: &Case, profiles: Option<&Path>) -> Outcome {
        gateways::carry(case, profiles)
    }

    fn refuses(case: &Case, result: &str) -> bool {
        !refused(case, result).is_empty()
    }
}

#[test]
fn no_rule_of_a_gateway_can_be_spared() {
    no_rule_can_be_spared::<Gateways>();
}
