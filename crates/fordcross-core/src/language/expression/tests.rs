//! Tests.

use super::*;
use crate::finding::Fact;
use rstest::rstest;

struct Here(Evaluator);

impl Surroundings for Here {
    fn variable(&self, name: &str) -> Option<Operand> {
        match name {
            "ip" => Some(Operand::Text("192.0.2.7".into())),
            "n" => Some(Operand::Integer(24)),
            "on" => Some(Operand::Boolean(true)),
            _ => None,
        }
    }
    fn count(&self, path: &str) -> usize {
        usize::from(path == "mtu") * 2
    }
    fn effective(&self, path: &str) -> Operand {
        if path == "mtu" { Operand::Integer(1500) } else { Operand::Nothing }
    }
    fn names(&self, path: &str) -> Vec<String> {
        vec![path.to_owned()]
    }
    fn values(&self, path: &str) -> Vec<String> {
        vec![format!("{path}*"), "b".to_owned()]
    }
    fn named_by(&self, path: &str) -> bool {
        path == "mtu"
    }
    fn standing(&self, path: &str) -> Vec<String> {
        let nets: &[&str] = match path {
            "/nets" => &["192.0.2.0/24", "192.0.2.0/26", "198.51.100.5/24", "2001:db8::/32", "no"],
            _ => &["203.0.113.0/24"],
        };
        nets.iter().map(|net| (*net).to_owned()).collect()
    }
    fn same(&self, one: &str, other: &str) -> bool {
        one.len() == other.len()
    }
    fn circle(&self, paths: &[String]) -> bool {
        paths.len() == 2
    }
    fn named_late(&self, paths: &[String]) -> bool {
        paths.len() == 2
    }
    fn since(&self, release: &str) -> bool {
        release < "5"
    }
    fn evaluator(&self) -> &Evaluator {
        &self.0
    }
}

#[rstest]
#[case("n + 1", Operand::Integer(25))]
#[case("on && given('mtu') && !given('pace')", Operand::Boolean(true))]
#[case("count('mtu')", Operand::Integer(2))]
#[case("effective('mtu') > 1400", Operand::Boolean(true))]
#[case("since('4.2')", Operand::Boolean(true))]
#[case("network(ip, n)", Operand::Text("192.0.2.0/24".into()))]
#[case("holds('192.0.2.0/25', ip)", Operand::Boolean(true))]
#[case("first('192.0.2.0/25')", Operand::Text("192.0.2.0".into()))]
#[case("last('192.0.2.0/25')", Operand::Text("192.0.2.127".into()))]
#[case("prefix_length('192.0.2.0/25')", Operand::Integer(25))]
#[case("lower('ABC') + upper('d')", Operand::Text("abcD".into()))]
#[case("before('tcp/443', '/') + '-' + after('tcp/443', '/')", Operand::Text("tcp-443".into()))]
#[case("replace('a.b.c', '.', '-')", Operand::Text("a-b-c".into()))]
#[case("verbatim('/a.b*[c]d')", Operand::Text(r"^/a\.b\*\[c]d$".into()))]
#[case("like_any('mtu9', values('mtu')) && like_any('b', values('/mtu'))", Operand::Boolean(true))]
#[case("like_any('9mtu', values('mtu'))", Operand::Boolean(false))]
#[case("any_like(values('/b'), 'b*') && !any_like(values('/b'), 'c*')", Operand::Boolean(true))]
#[case("ip.startsWith('192.') ? 'a' : 'b'", Operand::Text("a".into()))]
#[case("held_by(ip, '/nets')", Operand::Text("192.0.2.0/26".into()))]
#[case("held_by('203.0.113.9', '/nets', 'own')", Operand::Text("203.0.113.0/24".into()))]
#[case("held_by('203.0.113.9', '/nets')", Operand::Text(String::new()))]
#[case("overlapping('192.0.2.0/24', '/nets')", Operand::Integer(2))]
#[case("overlapping('192.0.2.64/26', '/nets')", Operand::Integer(1))]
#[case("overlapping('198.51.100.0/25', '/nets')", Operand::Integer(1))]
#[case("overlapping('0.0.0.0/0', '/nets')", Operand::Integer(3))]
#[case("same('a', 'b') && circle('a', 'b') && named_late('a', 'b')", Operand::Boolean(true))]
#[case("values('mtu').exists(v, v == 'b') && !values('mtu').all(v, v == 'b')", Operand::Boolean(true))]
#[case("family(ip) + family('2001:db8::/64') + family('x')", Operand::Integer(10))]
#[case("net_of('192.0.2.7/24') + ' ' + address_of('192.0.2.7/24')", Operand::Text("192.0.2.0/24 192.0.2.7".into()))]
#[case("ordinal('192.0.2.7') < ordinal('192.0.2.10')", Operand::Boolean(true))]
#[case("octets('é') + octets(ip)", Operand::Integer(11))]
#[case("as_is(ip)", Operand::Text("192.0.2.7".into()))]
#[case(
    "pattern('^a[b(]*$') && !pattern('a(b') && !pattern('*a') && !pattern('a\\\\')",
    Operand::Boolean(true)
)]
fn evaluates(#[case] text: &str, #[case] expected: Operand) {
    assert_eq!(Expression::new(text).evaluate(&Here(Evaluator::new())), Ok(expected));
}

#[rstest]
#[case("n +", "")]
#[case("m + 1", "there is no `m` here")]
#[case("networ(ip, n)", "did you mean `network`?")]
#[case("ip + n", "a text and a whole number")]
#[case("ip > n", "a text and a whole number")]
#[case("!ip", "a truth value")]
#[case("network(n, n)", "`network` takes a text")]
#[case("network(ip)", "`network` takes 2 values")]
#[case("n", "expected a truth value")]
#[case("given(ip)", "the path itself, in quotes")]
#[case("same('a')", "`same` takes 2 values")]
#[case("held_by(ip)", "`held_by` takes at least 2 values")]
#[case("values('/a').exists(v, v == ip)", "a list of the object itself")]
#[case("effective('on') == 'yes'", "a truth value and a text cannot be compared")]
#[case("effective('speed') > 5", "`speed` can be missing, and has no default")]
#[case("effective('mode') == 'quick'", "`mode` is never `quick`")]
#[case("n in names('/a')", "a whole number is in no list of texts")]
#[case("ip in ip", "`in` needs a list")]
#[case("names('/a') == ip", "a list and a text cannot be compared")]
#[case("double(n) > 1.5", "there is no function `double`")]
#[case("{'a': 1}.a == n", "of the Common Expression Language")]
#[case("values('a').map(v, v) == ip", "`exists` and `all` are the only loops")]
#[case("values('a').exists(v, w == v)", "there is no `w` here")]
fn tells_what_is_wrong_before_it_is_used(#[case] text: &str, #[case] reported: &str) {
    let variables =
        HashMap::from([("ip", OperandKind::Text), ("n", OperandKind::Integer), ("on", OperandKind::Boolean)]);
    let asked = |path: &str| {
        let (kind, has_default) = match path {
            "on" => (OperandKind::Boolean, true),
            "speed" => (OperandKind::Integer, false),
            "mode" => (OperandKind::Text, true),
            _ => return None,
        };
        let words = (path == "mode").then(|| vec!["fast".to_owned(), "slow".to_owned()]);
        Some(AskedSetting { kind, has_default, is_secret: false, words })
    };
    let problems = Expression::new(text).check(&variables, &asked, OperandKind::Boolean);
    let all: String = problems.iter().map(|fact| format!("{fact} {:?}\n", fact.remedy())).collect();
    assert!(!problems.is_empty() && all.contains(reported), "{all}");
}

#[test]
fn what_is_mentioned_is_told_apart_from_what_is_quoted() {
    let expression = Expression::new("a + 'b' == \"c\" && d_e > 1");
    assert!(expression.mentions("a") && expression.mentions("d_e"));
    assert!(!expression.mentions("b") && !expression.mentions("c") && !expression.mentions("d"));
}

#[rstest]
#[case("1", "+1", 31, Ok(Operand::Integer(32)))]
#[case("on", "&&on", 200, Ok(Operand::Boolean(true)))]
#[case("1", "+1", 32, Err("an expression goes at most 32 levels deep; say it in several rules".to_owned()))]
#[case("1", "==1", 300, Err("an expression goes at most 32 levels deep; say it in several rules".to_owned()))]
#[case("1", "+1", 50_000, Err("an expression has at most 10000 characters, and this has 100001; say it in several rules".to_owned()))]
fn a_long_expression_is_worked_out_or_refused(
    #[case] first: &str,
    #[case] again: &str,
    #[case] times: usize,
    #[case] expected: Result<Operand, String>,
) {
    let text = first.to_owned() + &again.repeat(times);
    assert_eq!(Expression::new(&text).evaluate(&Here(Evaluator::new())), expected);
}

#[test]
fn a_text_that_grows_is_bounded() {
    let grown = (0..12).fold("'a'".to_owned(), |text, _| format!("replace({text}, 'a', 'aaaaaaaaaaaaaaaa')"));
    let reported =
        Expression::new(&grown).evaluate(&Here(Evaluator::new())).expect_err("more than there is memory");
    assert!(reported.contains("longer than 64 KiB"), "{reported}");
}

#[rstest]
#[case("given('a') &&", "character 14: found the end, expected an expression")]
#[case("given('a'", "character 10: found the end, expected ')'")]
#[case("1 2", "character 3: found '2', expected the end")]
#[case("'é' $", "character 5: unexpected character")]
#[case("a ? b", "character 6: expected ':' in conditional expression")]
#[case("1\n+ *", "line 2, character 3: unexpected token")]
fn what_cannot_be_read_is_told_with_its_place(#[case] text: &str, #[case] reported: &str) {
    assert_eq!(compile(text).err(), Some(format!("the expression cannot be read at its {reported}")));
}
