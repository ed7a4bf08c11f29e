//! Recorded joint trajectories: CSV with a column of times, or JSON with `joint_names` and `points`.

use csv::{ByteRecord, ReaderBuilder};
use serde::Deserialize;

use crate::{FormatError, Result};

/// Numbers in rows, below the names of their columns.
#[derive(Debug, Clone, PartialEq)]
pub struct RecordedTable {
    /// One a column; `column 1` and so on where the file names none.
    pub columns: Vec<String>,
    /// Row after row.
    pub values: Vec<f64>,
    /// Whether the names come from the file.
    pub named: bool,
    /// Whether the layout itself says that values are rad and m, and times s.
    pub in_si: bool,
}

impl RecordedTable {
    /// How many rows there are.
    #[must_use]
    pub fn rows(&self) -> usize {
        self.values.len() / self.columns.len().max(1)
    }

    /// The values of a column, from 0.
    pub fn column(&self, column: usize) -> impl Iterator<Item = f64> + '_ {
        let width = self.columns.len().max(1);
        self.values.iter().skip(column).step_by(width).copied()
    }
}

/// Longer lines are no rows of numbers.
const MOST_COLUMNS: usize = 1024;

/// Reads a recording: `.json` as a trajectory message, anything else as CSV.
///
/// CSV may be separated by commas, semicolons (then with decimal commas, too), tabs or blanks; a header and lines that begin
/// with `#` may be there or not. JSON has `joint_names` and `points`, each with `positions` and `time_from_start`; it becomes
/// a table whose first column is `time_from_start` in s.
///
/// # Errors
/// [`FormatError`] with line and column of what is no number, or the place in the JSON.
pub fn read_recording(file: &str, bytes: &[u8]) -> Result<RecordedTable> {
    let json = file.to_lowercase().ends_with(".json");
    let table = if json {
        from_json(file, bytes)?
    } else {
        from_csv(file, bytes)?
    };
    if table.columns.len() < 2 {
        let message =
            "has one column; a recording needs times and the values of at least one joint";
        return Err(FormatError::file(file, message));
    }
    if table.values.is_empty() {
        return Err(FormatError::file(file, "has no rows of numbers"));
    }
    Ok(table)
}

fn from_csv(file: &str, bytes: &[u8]) -> Result<RecordedTable> {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let Some(layout) = Layout::of(bytes) else {
        return Err(FormatError::file(file, "is empty"));
    };
    let body = &bytes[layout.body..];
    let mut reader = ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(layout.delimiter)
        .comment(Some(b'#'))
        .from_reader(body);
    let mut table = RecordedTable {
        columns: layout.columns,
        values: Vec::new(),
        named: layout.named,
        in_si: false,
    };
    let mut record = ByteRecord::new();
    let lines_before = bytes[..layout.body].iter().filter(|&&b| b == b'\n').count() as u64;
    loop {
        let line = reader.position().line() + lines_before;
        match reader.read_byte_record(&mut record) {
            Ok(true) => {}
            Ok(false) => return Ok(table),
            Err(error) => return Err(FormatError::at(file, format!("line {line}"), error)),
        }
        let line = record.position().map_or(line, |p| p.line() + lines_before);
        let fields = record.iter().map(<[u8]>::trim_ascii);
        let mut count = 0;
        for field in fields.filter(|f| !(layout.blanks && f.is_empty())) {
            let Some(value) = number(field, layout.decimal_comma) else {
                let name = table.columns.get(count).cloned().unwrap_or_default();
                let text = String::from_utf8_lossy(&field[..field.len().min(40)]);
                let message = format!(
                    "\"{text}\" in column {} ({name}) is not a number",
                    count + 1
                );
                return Err(FormatError::at(file, format!("line {line}"), message));
            };
            table.values.push(value);
            count += 1;
        }
        if count != table.columns.len() {
            let message = format!(
                "has {count} values, but the first line has {}",
                table.columns.len()
            );
            return Err(FormatError::at(file, format!("line {line}"), message));
        }
    }
}

fn number(field: &[u8], decimal_comma: bool) -> Option<f64> {
    let text = std::str::from_utf8(field).ok()?;
    let value: f64 = if decimal_comma && text.contains(',') {
        text.replace(',', ".").parse().ok()?
    } else {
        text.parse().ok()?
    };
    value.is_finite().then_some(value)
}

/// How a CSV file is written.
struct Layout {
    delimiter: u8,
    /// Any number of blanks part values.
    blanks: bool,
    decimal_comma: bool,
    columns: Vec<String>,
    named: bool,
    /// Where the rows begin.
    body: usize,
}

impl Layout {
    /// As its first lines show.
    fn of(bytes: &[u8]) -> Option<Self> {
        let mut lines = lines_of(bytes).filter(|(_, line)| !line.trim_ascii().is_empty());
        let (mut start, mut first) = lines.next()?;
        let mut header = None;
        // A header may stand behind a `#`; other such lines are remarks.
        while first.trim_ascii_start().starts_with(b"#") {
            header = Some(first);
            (start, first) = lines.next()?;
        }
        let delimiter = delimiter_of(first);
        let blanks = delimiter == b' ';
        let decimal_comma = delimiter != b',' && delimiter_is_decimal(first, bytes);
        let own = fields_of(first, delimiter);
        if own.len() > MOST_COLUMNS {
            return None;
        }
        let is_number = |name: &String| number(name.as_bytes(), decimal_comma).is_some();
        if !own.iter().all(is_number) {
            return Some(Self {
                delimiter,
                blanks,
                decimal_comma,
                columns: own,
                named: true,
                body: start + first.len() + 1,
            })
            .map(|layout| layout.ending_within(bytes.len()));
        }
        let above = header.map(|line| {
            let line = line.trim_ascii_start();
            fields_of(&line[1..], delimiter)
        });
        let named = above.as_ref().is_some_and(|names| names.len() == own.len());
        let columns = match above {
            Some(names) if named => names,
            _ => (1..=own.len()).map(|i| format!("column {i}")).collect(),
        };
        Some(Self {
            delimiter,
            blanks,
            decimal_comma,
            columns,
            named,
            body: start,
        })
    }

    fn ending_within(self, length: usize) -> Self {
        Self {
            body: self.body.min(length),
            ..self
        }
    }
}

/// Lines with where they begin, without their ends.
fn lines_of(bytes: &[u8]) -> impl Iterator<Item = (usize, &[u8])> {
    let mut at = 0;
    bytes.split(|&b| b == b'\n').map(move |line| {
        let start = at;
        at += line.len() + 1;
        (start, line)
    })
}

fn delimiter_of(line: &[u8]) -> u8 {
    let count = |d: u8| line.iter().filter(|&&b| b == d).count();
    for delimiter in [b';', b'\t', b','] {
        if count(delimiter) > 0 {
            return delimiter;
        }
    }
    b' '
}

/// Whether numbers are written with a decimal comma, as the first lines show.
fn delimiter_is_decimal(first: &[u8], bytes: &[u8]) -> bool {
    let has = |line: &[u8]| line.contains(&b',') && !line.contains(&b'.');
    has(first) || lines_of(bytes).take(3).any(|(_, line)| has(line))
}

fn fields_of(line: &[u8], delimiter: u8) -> Vec<String> {
    let line = line.strip_suffix(b"\r").unwrap_or(line);
    let fields = line.split(|&b| b == delimiter).map(<[u8]>::trim_ascii);
    let plain = |field: &[u8]| {
        let text = String::from_utf8_lossy(field);
        text.trim_matches('"').trim().to_owned()
    };
    fields
        .filter(|f| delimiter != b' ' || !f.is_empty())
        .map(plain)
        .collect()
}

/// A trajectory message.
#[derive(Deserialize)]
struct Message {
    joint_names: Vec<String>,
    points: Vec<MessagePoint>,
}

#[derive(Deserialize)]
struct MessagePoint {
    positions: Vec<f64>,
    time_from_start: MessageTime,
}

/// Seconds, or seconds and nanoseconds.
#[derive(Deserialize)]
#[serde(untagged)]
enum MessageTime {
    Seconds(f64),
    Parts {
        #[serde(alias = "secs")]
        sec: f64,
        #[serde(alias = "nsecs", default)]
        nanosec: f64,
    },
}

/// A message, or something that holds one.
#[derive(Deserialize)]
#[serde(untagged)]
enum Wrapped {
    Plain(Message),
    Held {
        #[serde(alias = "joint_trajectory")]
        trajectory: Message,
    },
}

fn from_json(file: &str, bytes: &[u8]) -> Result<RecordedTable> {
    let shape = "must be a trajectory: {\"joint_names\": […], \"points\": [{\"positions\": […], \"time_from_start\": …}, …]}";
    let message = match serde_json::from_slice::<Message>(bytes) {
        Ok(message) => message,
        Err(error) => match serde_json::from_slice::<Wrapped>(bytes) {
            Ok(
                Wrapped::Plain(message)
                | Wrapped::Held {
                    trajectory: message,
                },
            ) => message,
            Err(_) if error.is_data() => {
                return Err(FormatError::file(file, format!("{shape} ({error})")));
            }
            Err(_) => return Err(FormatError::file(file, error)),
        },
    };
    let width = message.joint_names.len();
    let mut columns = vec!["time_from_start".to_owned()];
    columns.extend(message.joint_names);
    if columns.len() > MOST_COLUMNS {
        return Err(FormatError::file(file, "names more than 1023 joints"));
    }
    let mut values = Vec::with_capacity(message.points.len() * columns.len());
    for (index, point) in message.points.iter().enumerate() {
        if point.positions.len() != width {
            let message = format!(
                "has {} positions, but {width} joints are named",
                point.positions.len()
            );
            return Err(FormatError::at(file, format!("points[{index}]"), message));
        }
        values.push(match point.time_from_start {
            MessageTime::Seconds(s) => s,
            MessageTime::Parts { sec, nanosec } => sec + nanosec * 1e-9,
        });
        values.extend(&point.positions);
    }
    Ok(RecordedTable {
        columns,
        values,
        named: true,
        in_si: true,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> RecordedTable {
        read_recording("run.csv", text.as_bytes()).unwrap()
    }

    #[rstest::rstest]
    #[case::commas("t,j1,j2\n0,1,2\n0.5,3,-4e-1\n")]
    #[case::windows("t,j1,j2\r\n0,1,2\r\n0.5,3,-0.4\r\n")]
    #[case::no_last_newline("\"t\",\"j1\",\"j2\"\n0,1,2\n0.5,3,-0.4")]
    #[case::semicolons("t;j1;j2\n0;1;2\n0.5;3;-0.4\n")]
    #[case::decimal_commas("t;j1;j2\n0,0;1,0;2,0\n0,5;3,0;-0,4\n")]
    #[case::tabs("t\tj1\tj2\n0\t1\t2\n0.5\t3\t-0.4\n")]
    #[case::blanks("t  j1 j2\n 0  1   2\n0.5 3 -0.4\n")]
    #[case::a_mark("\u{feff}t,j1,j2\n0,1,2\n0.5,3,-0.4\n")]
    #[case::remarks("# run 4\n#t,j1,j2\n0,1,2\n# half way\n0.5,3,-0.4\n")]
    #[case::empty_lines("\nt,j1,j2\n\n0,1,2\n\n0.5,3,-0.4\n\n")]
    fn a_table_is_read_however_it_is_written(#[case] text: &str) {
        let table = read(text);
        assert_eq!(table.columns, ["t", "j1", "j2"]);
        assert_eq!(table.values, [0.0, 1.0, 2.0, 0.5, 3.0, -0.4]);
        assert_eq!((table.rows(), table.named), (2, true));
        assert_eq!(table.column(1).collect::<Vec<_>>(), [1.0, 3.0]);
    }

    #[test]
    fn columns_without_names_are_counted() {
        let table = read("0,1\n1,2\n");
        assert_eq!(table.columns, ["column 1", "column 2"]);
        assert_eq!((table.rows(), table.named), (2, false));
    }

    #[rstest::rstest]
    #[case::seconds(r#"{"joint_names":["a"],"points":[{"positions":[1],"time_from_start":0.5}]}"#)]
    #[case::parts(
        r#"{"header":{},"joint_names":["a"],"points":[{"positions":[1],"velocities":[],"time_from_start":{"sec":0,"nanosec":500000000}}]}"#
    )]
    #[case::older_parts(
        r#"{"joint_names":["a"],"points":[{"positions":[1],"time_from_start":{"secs":0,"nsecs":500000000}}]}"#
    )]
    #[case::held(
        r#"{"trajectory":{"joint_names":["a"],"points":[{"positions":[1],"time_from_start":0.5}]}}"#
    )]
    fn messages_are_read_in_their_layouts(#[case] text: &str) {
        let table = read_recording("run.json", text.as_bytes()).unwrap();
        assert_eq!(table.columns, ["time_from_start", "a"]);
        assert_eq!(table.values, [0.5, 1.0]);
        assert!(table.in_si);
    }

    #[rstest::rstest]
    #[case::a_word(
        "r.csv",
        "t,j\n0,1\n1,fast\n",
        "line 3: \"fast\" in column 2 (j) is not a number"
    )]
    #[case::no_number("r.csv", "t,j\n0,NaN\n", "line 2: \"NaN\" in column 2")]
    #[case::a_short_row("r.csv", "t,j\n0,1\n1\n", "line 3")]
    #[case::a_long_row("r.csv", "t,j\n0,1\n1,2,3\n", "line 3")]
    #[case::nothing("r.csv", "", "is empty")]
    #[case::only_names("r.csv", "t,j\n", "has no rows")]
    #[case::one_column("r.csv", "t\n1\n2\n", "has one column")]
    #[case::other_json("r.json", "{\"format\": 1}", "must be a trajectory")]
    #[case::half_a_json("r.json", "{\"joint_names\": [", "EOF")]
    #[case::a_short_point(
        "r.json",
        r#"{"joint_names":["a","b"],"points":[{"positions":[1],"time_from_start":0}]}"#,
        "points[0]: has 1 positions, but 2 joints are named"
    )]
    fn what_is_no_recording_is_refused_with_its_place(
        #[case] file: &str,
        #[case] text: &str,
        #[case] says: &str,
    ) {
        let refused = read_recording(file, text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(refused.contains(says), "{refused}");
    }

    proptest::proptest! {
        #[test]
        fn no_bytes_are_too_strange(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..400)) {
            for file in ["r.csv", "r.json"] {
                if let Ok(table) = read_recording(file, &bytes) {
                    assert_eq!(table.values.len(), table.rows() * table.columns.len());
                    assert!(table.values.len() <= bytes.len());
                }
            }
        }

        #[test]
        fn lines_of_what_looks_like_numbers_do_no_harm(text in "[0-9,;. #\\-e\t\n]{0,200}") {
            let _ = read_recording("r.csv", text.as_bytes());
        }
    }
}
