"""HTML as the text a person would read."""

from __future__ import annotations

import pytest

from wetcomb.files.markup import find_text

PAGES: dict[str, tuple[str, str]] = {
    "paragraphs": ("<p>one  two\nthree</p><p>four", "one two three\n\nfour\n"),
    "line ends": ("a<br>b<br/>c", "a\nb\nc\n"),
    "signs": ("a &amp; b&nbsp;c &#252; &lt;x&gt;", "a & b\u00a0c ü <x>\n"),
    "unseen": ("<head><title>t</title><style>p {}</style></head><script>x<y</script>a", "a\n"),
    "rows": ("<table><tr><td>a</td><td> b </td></tr><tr><th>c<th>d</table>", "a\tb\nc\td\n"),
    "an empty cell": ("<tr><td>a<td><td>c", "a\t\tc\n"),
    "items": ("<ul><li>a<li>b</ul>c", "- a\n- b\n\nc\n"),
    "as it stands": ("<pre>a  b\n  c</pre>", "a  b\n  c\n"),
    "quoted": ("x<blockquote>a<p>b</blockquote>c", "x\n\n> a\n\n> b\n\nc\n"),
    "never closed": ("<div><b>a<i>b", "ab\n"),
    "nothing": ("", "\n"),
}


@pytest.mark.parametrize(("markup", "text"), PAGES.values(), ids=PAGES)
def test_text_of_markup(markup: str, text: str) -> None:
    assert find_text(markup) == text
