"""Call sheets as tables: what spreadsheets write, what people write, and what is neither."""

import csv
import io
import unittest
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from armuto.call_sheet import WantedRow, decoded, read_rows, write_rows
from armuto.errors import BadInput

TABLE = """Motion,For whom?,Mood,Prop,Variants,Due,Note
walks the round,"Watchman, Keeper",tired,,2,2026-12-04,"by night, slowly"
climbs the ladder,Porter,,ladder,,,
"""
ROWS = [
    WantedRow("walks the round", ("Watchman", "Keeper"), "tired", "", 2, date(2026, 12, 4), "by night, slowly"),
    WantedRow("climbs the ladder", ("Porter",), "", "ladder"),
]

words = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zs", "Zl", "Zp", "Cf")), max_size=30)
names = st.text(st.characters(codec="ascii", categories=("Lu", "Ll", "Nd")), min_size=4, max_size=12)
rows = st.builds(
    WantedRow,
    words.filter(lambda text: bool(text) and not text.startswith("'")),
    st.lists(names, max_size=3, unique=True).map(tuple),
    words.filter(lambda text: not text.startswith("'")),
    words.filter(lambda text: not text.startswith("'")),
    st.integers(1, 99),
    st.none() | st.dates(date(1000, 1, 1)),
    words.filter(lambda text: not text.startswith("'")),
)


class Tables(unittest.TestCase):
    def test_what_spreadsheets_write(self):
        table = list(csv.reader(io.StringIO(TABLE.replace("For whom?", "Who"))))

        def written(delimiter: str, end: str = "\r\n") -> str:
            out = io.StringIO(newline="")
            csv.writer(out, delimiter=delimiter, lineterminator=end).writerows(table)
            return out.getvalue()

        for name, data in {
            "commas": written(",").encode(),
            "semicolons": written(";").encode(),
            "tabs": written("\t", "\n").encode(),
            "a mark at the beginning": b"\xef\xbb\xbf" + written(",").encode(),
            "UTF-16": written("\t").encode("utf-16"),
            "Western European": written(";").encode("cp1252"),
            "empty lines": ("\n\n" + written(",", "\n\n")).encode(),
        }.items():
            with self.subTest(name):
                self.assertEqual(read_rows(decoded(data, "sheet.csv")), (ROWS, []))

    def test_columns_in_any_order_by_other_names_and_without_names(self):
        text = "due,Character,count,something,ACTION\n4.12.2026,Watchman and Keeper,2x,?,walks the round\n"
        wanted, problems = read_rows(text)
        self.assertEqual(wanted, [WantedRow("walks the round", ("Watchman", "Keeper"), "", "", 2, date(2026, 12, 4))])
        self.assertEqual(problems, [])
        plain, _ = read_rows("walks the round\nclimbs the ladder\n")
        self.assertEqual([row.motion for row in plain], ["walks the round", "climbs the ladder"])
        plain, _ = read_rows("carries the crate\tPorter\tcareful\tcrate\t3\t2026-12-07\tslowly")
        self.assertEqual(
            plain, [WantedRow("carries the crate", ("Porter",), "careful", "crate", 3, date(2026, 12, 7), "slowly")]
        )

    def test_what_cannot_be_taken_is_said_and_kept(self):
        text = "Motion,Variants,Due,Note\nwalks,many,next week,slowly\n,2,,\nruns,0,03/04/2026,\nsits,2,31.2.2026,\n"
        wanted, problems = read_rows(text, "sheet.csv")
        self.assertEqual([row.motion for row in wanted], ["walks", "runs", "sits"])
        self.assertEqual(wanted[0].note, "slowly; variants: many; due: next week")
        self.assertEqual(wanted[1].note, "variants: 0; due: 03/04/2026")
        self.assertEqual([row.due for row in wanted], [None] * 3)
        self.assertEqual([row.variants for row in wanted], [1, 1, 2])
        for sentence in (
            "sheet.csv, row 2: “many” is no number of variants",
            "sheet.csv, row 2: “next week” is no day that can be read; write it as 2026-12-01.",
            "sheet.csv, row 3: no motion is said, so it was left out.",
            "“03/04/2026” may be two different days; write it as 2026-03-04.",
            "“31.2.2026” is no day of the calendar",
        ):
            self.assertTrue(any(sentence in problem for problem in problems), (sentence, problems))

    def test_what_is_no_table_is_a_sentence(self):
        for name, text, sentence in (
            ("nothing", "  \n ", "nothing in it"),
            ("columns alone", "Motion,Mood,Prop\n", "has no row"),
            ("no motions", "Mood,Prop,Due\ntired,crate,2026-12-04\n", "no column is called “Motion”"),
            ("too many", "Motion\n" + "walks\n" * 1001, "1,001 rows"),
            ("a cell without end", 'Motion,Note\nwalks,"' + "x" * 200_000, "cannot be read as a table"),
        ):
            with self.subTest(name), self.assertRaises(BadInput) as caught:
                read_rows(text)
            self.assertIn(sentence, str(caught.exception))
        with self.assertRaises(BadInput) as caught:
            decoded(b"PK\x03\x04\0\0\0\0workbook", "sheet.xlsx")
        self.assertIn("save the sheet as CSV", str(caught.exception))

    def test_nothing_is_written_that_a_spreadsheet_would_compute(self):
        row = WantedRow("=HYPERLINK(1)", note="+1 for the night", mood="@tired", prop="-")
        text = write_rows([row])
        for cell in next(csv.reader(io.StringIO(text.splitlines()[1]))):
            self.assertFalse(cell.startswith(("=", "+", "-", "@")), cell)
        self.assertEqual(read_rows(text)[0], [row])

    @given(st.lists(rows, min_size=1, max_size=6))
    def test_what_is_written_is_read_the_same(self, wanted):
        wanted = [WantedRow(**{**vars(row), "motion": row.motion.strip() or "walks"}) for row in wanted]
        read, problems = read_rows(write_rows(wanted))
        self.assertEqual(problems, [])
        self.assertEqual(read, wanted)

    @given(st.text(max_size=300))
    def test_any_text_is_rows_or_a_sentence(self, text):
        try:
            wanted, problems = read_rows(text)
        except BadInput as problem:
            self.assertTrue(str(problem).endswith("."))
        else:
            self.assertTrue(wanted or problems)
            self.assertTrue(all(row.motion and 1 <= row.variants <= 99 for row in wanted))
