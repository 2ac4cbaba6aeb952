//! Which command lines may be shown: those of commands that take no secret.

use wildmatch::WildMatch;

/// Patterns of commands whose arguments hold no secret: `sysctl *`.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct ShownCommands(Vec<String>);

impl ShownCommands {
    pub(crate) fn new<'p>(patterns: impl Iterator<Item = &'p str>) -> Self {
        Self(patterns.map(str::to_owned).collect())
    }

    /// Whether every command of a line is like one of them. What the shell puts together first could be anything.
    pub(crate) fn fit(&self, line: &str) -> bool {
        if self.0.is_empty() || line.contains(['`', '\n']) || line.contains("$(") {
            return false;
        }
        let mut commands = line.split([';', '|', '&']).map(str::trim).filter(|command| !command.is_empty());
        commands.all(|command| {
            let command = without_folder(command);
            matches!(command, "true" | ":")
                || self.0.iter().any(|pattern| WildMatch::new(pattern).matches(command))
        })
    }
}

/// A command by the name of its program alone: `/sbin/sysctl -w` is `sysctl -w`.
fn without_folder(command: &str) -> &str {
    let program = command.split_whitespace().next().unwrap_or_default();
    program.rfind('/').map_or(command, |at| &command[at + 1..])
}

#[cfg(test)]
mod tests {
    use super::ShownCommands;
    use rstest::rstest;

    #[rstest]
    #[case("sysctl -w net.ipv4.ip_forward=1", true)]
    #[case("/sbin/sysctl -q a=1 || true", true)]
    #[case("sysctl a=1 && sysctl b=2; :", true)]
    #[case("echo 1 > /proc/sys/net/ipv4/ip_forward", true)]
    #[case("echo hunter2 | vpn", false)]
    #[case("sysctl a=1 && vpn --password hunter2", false)]
    #[case("sysctl a=$(vpn hunter2)", false)]
    #[case("sysctl a=`vpn hunter2`", false)]
    #[case("mysysctl hunter2", false)]
    fn commands_that_take_no_secret_are_shown(#[case] line: &str, #[case] shown: bool) {
        let commands = ShownCommands::new(["sysctl *", "echo ? > /proc/sys/*"].into_iter());
        assert_eq!(commands.fit(line), shown);
        assert!(!ShownCommands::default().fit(line));
    }
}
