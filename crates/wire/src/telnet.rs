//! As much of telnet (RFC 854, RFC 855) as it takes to be left alone: whatever the other side offers or wants is declined, and what is
//! no text is taken out.
//!
//! ```text
//! ff fb xx  it will do xx    answered ff fe xx, do not
//! ff fd xx  do xx            answered ff fc xx, will not
//! ff fa … ff f0              about an option; passed over
//! ff ff                      the byte ff itself
//! ```

const IAC: u8 = 0xff;
const SUB_BEGIN: u8 = 0xfa;
const SUB_END: u8 = 0xf0;
const WILL: u8 = 0xfb;
const WONT: u8 = 0xfc;
const DO: u8 = 0xfd;
const DONT: u8 = 0xfe;

/// One side of a connection.
#[derive(Debug, Clone)]
pub struct Telnet {
    state: State,
    /// What was declined already: once is enough, and never an endless exchange of refusals.
    declined: Vec<(u8, u8)>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Text,
    Command,
    Option(u8),
    Inside,
    InsideCommand,
}

impl Default for Telnet {
    fn default() -> Self {
        Self { state: State::Text, declined: Vec::new() }
    }
}

impl Telnet {
    /// Takes in what came. Gives the text in it, and what is to be answered at once.
    pub fn hear(&mut self, bytes: &[u8]) -> (Vec<u8>, Vec<u8>) {
        let (mut text, mut answer) = (Vec::new(), Vec::new());
        for byte in bytes {
            self.state = match (self.state, *byte) {
                (State::Text, IAC) => State::Command,
                (State::Text, 0) => State::Text,
                (State::Text, byte) => {
                    text.push(byte);
                    State::Text
                }
                (State::Command, IAC) => {
                    text.push(IAC);
                    State::Text
                }
                (State::Command, command @ (WILL | WONT | DO | DONT)) => State::Option(command),
                (State::Command, SUB_BEGIN) => State::Inside,
                (State::Command, _) => State::Text,
                (State::Option(command), option) => {
                    self.decline(command, option, &mut answer);
                    State::Text
                }
                (State::Inside, IAC) => State::InsideCommand,
                (State::InsideCommand, SUB_END) => State::Text,
                (State::Inside | State::InsideCommand, _) => State::Inside,
            };
        }
        (text, answer)
    }

    fn decline(&mut self, command: u8, option: u8, answer: &mut Vec<u8>) {
        let refusal = match command {
            WILL => DONT,
            DO => WONT,
            _ => return,
        };
        if !self.declined.contains(&(refusal, option)) {
            self.declined.push((refusal, option));
            answer.extend([IAC, refusal, option]);
        }
    }
}

/// Text as it is sent.
#[must_use]
pub fn as_sent(text: &[u8]) -> Vec<u8> {
    text.iter().flat_map(|byte| if *byte == IAC { vec![IAC, IAC] } else { vec![*byte] }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn offers_are_declined_once_and_text_is_left_over() {
        let mut telnet = Telnet::default();
        let bytes = [
            &[IAC, WILL, 1, IAC, DO, 24, IAC, DO, 24][..],
            b"lo",
            &[IAC, SUB_BEGIN, 24, 1, IAC, IAC, IAC, SUB_END],
            b"gin:\0 ",
        ]
        .concat();
        // Byte by byte it is the same.
        let (mut text, mut answer) = (Vec::new(), Vec::new());
        for byte in &bytes {
            let (more, said) = telnet.hear(&[*byte]);
            text.extend(more);
            answer.extend(said);
        }
        assert_eq!(text, b"login: ");
        assert_eq!(answer, [IAC, DONT, 1, IAC, WONT, 24]);
        assert_eq!(telnet.hear(&[IAC, IAC, IAC, 0xf1, IAC, DONT, 3]), (vec![IAC], Vec::new()));
        assert_eq!(telnet.hear(&as_sent(&[7, IAC])).0, [7, IAC]);
    }
}
