//! Findings as JUnit XML, which build servers read: a suite for the cell, a case for each rule.

use std::io::Write;

use quick_xml::Writer;
use quick_xml::events::BytesText;
use selvik_cell::report::Verdict;

use super::check::{Checked, word};

/// What one rule came to.
struct Case<'a> {
    name: &'a str,
    verdict: Verdict,
    /// A line for each thing that is broken or not certified.
    lines: Vec<String>,
}

impl Checked {
    fn cases(&self) -> Vec<Case<'_>> {
        let wrong = |verdict: Verdict| verdict <= Verdict::NotCertified;
        let mut cases: Vec<Case> = Vec::new();
        for (index, rule) in self.clearance.rules.iter().enumerate() {
            let pairs = self.clearance.pairs.iter();
            let of_rule = pairs.filter(|p| p.rule_index == index && wrong(p.verdict));
            let told = of_rule.map(|p| {
                format!(
                    "{}: {} – {}: {:.3} mm (at least {:.3}) at {:.3} s, needs {:.1}{}",
                    word(p.verdict),
                    p.a.name,
                    p.b.name,
                    p.attained_mm,
                    p.lower_mm,
                    p.time_s,
                    p.required_mm,
                    p.reasons
                        .iter()
                        .map(|r| format!("; {r}"))
                        .collect::<String>(),
                )
            });
            cases.push(Case {
                name: &rule.name,
                verdict: rule.verdict,
                lines: rule.reasons.iter().cloned().chain(told).collect(),
            });
        }
        if let Some(verdict) = self.reach.verdict {
            let rows = self.reach.rows.iter();
            let bad = rows.filter(|r| r.verdict.is_some_and(wrong));
            let told = bad.map(|r| {
                format!(
                    "{}: {}: {:.2} % to spare at {:.3} s",
                    r.program, r.label, r.spare_percent, r.time_s
                )
            });
            cases.push(Case {
                name: "Reach",
                verdict,
                lines: told.collect(),
            });
        }
        cases
    }

    /// A suite with a case a rule: broken is a failure, not certified an error, as is a cell without a rule.
    ///
    /// # Errors
    /// A sentence, never in practice: it is written to memory.
    pub fn junit(&self) -> Result<Vec<u8>, String> {
        let mut cases = self.cases();
        if self.clearance.rules.is_empty() {
            cases.push(Case {
                name: "Clearance",
                verdict: Verdict::NotCertified,
                lines: vec!["the cell has no rule, so nothing is measured".to_owned()],
            });
        }
        let count = |verdict: Verdict| {
            let those = cases.iter().filter(|c| c.verdict == verdict);
            those.count().to_string()
        };
        let mut text = b"<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n".to_vec();
        let mut xml = Writer::new_with_indent(&mut text, b' ', 2);
        let tests = cases.len().to_string();
        let (failures, errors) = (count(Verdict::Broken), count(Verdict::NotCertified));
        xml.create_element("testsuite")
            .with_attributes([
                ("name", self.cell.as_str()),
                ("tests", &tests),
                ("failures", &failures),
                ("errors", &errors),
            ])
            .write_inner_content(|xml| {
                cases
                    .iter()
                    .try_for_each(|case| write_case(xml, &self.cell, case))
            })
            .map_err(|e| e.to_string())?;
        text.push(b'\n');
        Ok(text)
    }
}

fn write_case<W: Write>(xml: &mut Writer<W>, cell: &str, case: &Case) -> std::io::Result<()> {
    let element = xml.create_element("testcase").with_attributes([
        ("classname", plain(cell).as_str()),
        ("name", &plain(case.name)),
    ]);
    let kind = match case.verdict {
        Verdict::Broken => "failure",
        Verdict::NotCertified => "error",
        Verdict::Tight | Verdict::Meets => {
            element.write_empty()?;
            return Ok(());
        }
    };
    element.write_inner_content(|xml| {
        let lines = plain(&case.lines.join("\n"));
        xml.create_element(kind)
            .with_attributes([("message", word(case.verdict).to_lowercase().as_str())])
            .write_text_content(BytesText::new(&lines))?;
        Ok(())
    })?;
    Ok(())
}

/// Without what may not stand in XML at all.
fn plain(text: &str) -> String {
    let may = |c: &char| !c.is_control() || *c == '\n';
    text.chars().filter(may).collect()
}
