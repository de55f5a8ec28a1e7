//! Every command that a finding or a row advises can be typed as it is printed, and leads on.

use crate::support::on_harbour;

/// The whole harbour is surveyed; each advised command is typed, those that change something with --dry-run.
#[test]
fn what_is_advised_can_be_typed() {
    let script = "deft-lantern survey >survey.txt 2>notes.txt\n\
        grep -oh 'deft-lantern [a-z].*' survey.txt notes.txt | sed 's/[;,].*//; s/)$//; s/ *$//' | sort -u >advice.txt\n\
        grep -v 'NAME\\|NUMBER\\|FILE' advice.txt >typed.txt; wc -l <advice.txt; wc -l <typed.txt\n\
        while read -r line; do\n\
          case \"$line\" in *' set '*) line=\"$line --dry-run\";; *arrivals*) line=\"$line --timeout 1s\";; esac\n\
          sh -c \"$line\" </dev/null >out.txt 2>err.txt; code=$?\n\
          echo \"typed $code $line\"; [ $code = 2 ] && cat err.txt\n\
        done <typed.txt";
    let Some(said) = on_harbour(script) else { return };
    let typed: Vec<&str> = said.out.lines().filter(|line| line.starts_with("typed ")).collect();
    assert!(typed.len() >= 3, "{}{}", said.out, said.notes);
    // A plan may be refused, for a node out of reach say; a command that is none may not be advised.
    for sign in ["unexpected argument", "invalid value", "unrecognized subcommand", "required arguments"] {
        assert!(!said.out.contains(sign), "{}", said.out);
    }
    let counts: Vec<&str> = said.out.lines().take(2).collect();
    assert_eq!(counts[0], counts[1], "no placeholder where the value is known: {}", said.out);
}
