"""The yardstick for labelled fields: one `re` a label, block by block, written with the csv module.

python by_labels.py INPUT OUTPUT LABEL ...
python by_labels.py mails INPUT OUTPUT LABEL ...   a pile of mails, by the standard library's parser
"""

import csv
import email
import email.policy
import re
import sys

is_pile = sys.argv[1] == "mails"
source, target, *labels = sys.argv[1 + is_pile :]
patterns = [re.compile(rf"^{re.escape(label)}[ \t]*:[ \t]*(.*?)[ \t]*$", re.M) for label in labels]


def list_blocks(lines):
    """Yield the lines between blank ones, as one text."""
    block = []
    for line in lines:
        if line.strip():
            block.append(line)
        elif block:
            yield "".join(block)
            block = []
    if block:
        yield "".join(block)


def list_mails(lines):
    """Yield subject and body of every mail of a pile."""
    mail = []
    for line in lines:
        if line.startswith(b"From ") and mail:
            yield read_mail(mail)
            mail = []
        mail.append(line)
    yield read_mail(mail)


def read_mail(lines):
    """Return a mail's subject and the text of its body."""
    mail = email.message_from_bytes(b"".join(lines[1:]), policy=email.policy.default)
    return mail["subject"], mail.get_body(("plain",)).get_content()


with open(target, "w", newline="", encoding="utf-8") as table:
    writer = csv.writer(table, lineterminator="\n")
    writer.writerow(["mail.subject"] * is_pile + labels)
    if is_pile:
        with open(source, "rb") as pile:
            for subject, block in list_mails(pile):
                found = [pattern.search(block) for pattern in patterns]
                writer.writerow([subject, *(match[1] if match else "" for match in found)])
    else:
        with open(source, encoding="utf-8", newline="") as text:
            for block in list_blocks(text):
                found = [pattern.search(block) for pattern in patterns]
                writer.writerow([match[1] if match else "" for match in found])
