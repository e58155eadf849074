"""Records what LibreOffice Calc puts on the clipboard, and what it makes of what Enlace puts there.

Run by hand with the Python that has Debian's python3-uno, beside Debian's libreoffice-calc: `python3 record.py`. The files
beside it were recorded by LibreOffice 7.4.7.2 and are read by the tests, which need neither.
"""

import json
import subprocess
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import uno

HERE = Path(__file__).parent
CELLS = json.loads((HERE / "cells.json").read_text())
ADDRESS = "socket,host=localhost,port=2002;urp;"


def connected():
    local = uno.getComponentContext()
    resolver = local.ServiceManager.createInstanceWithContext("com.sun.star.bridge.UnoUrlResolver", local)
    for _ in range(60):
        try:
            return resolver.resolve(f"uno:{ADDRESS}StarOffice.ComponentContext")
        except Exception:
            time.sleep(1)
    raise SystemExit("Calc did not start.")


def main():
    office = subprocess.Popen(["soffice", "--headless", "--norestore", f"--accept={ADDRESS}"])
    context = connected()
    names = ("frame.Desktop", "frame.DispatchHelper", "datatransfer.clipboard.SystemClipboard")
    made = (context.ServiceManager.createInstanceWithContext(f"com.sun.star.{name}", context) for name in names)
    desktop, dispatcher, clipboard = made

    document = desktop.loadComponentFromURL("private:factory/scalc", "_blank", 0, ())
    cells = document.Sheets.getByIndex(0)
    for y, line in enumerate(CELLS):
        for x, text in enumerate(line):
            cells.getCellByPosition(x, y).String = text
    document.CurrentController.select(cells.getCellRangeByPosition(0, 0, len(CELLS[0]) - 1, len(CELLS) - 1))
    dispatcher.executeDispatch(document.CurrentController.Frame, ".uno:Copy", "", 0, ())
    time.sleep(1)
    contents = clipboard.getContents()
    for flavor in contents.getTransferDataFlavors():
        kind = flavor.MimeType.partition(";")[0]
        if kind in ("text/plain", "text/html"):
            data = contents.getTransferData(flavor)
            text = data if isinstance(data, str) else data.value.decode()
            (HERE / f"calc.{'txt' if kind == 'text/plain' else 'html'}").write_text(text)

    desktop.terminate()
    office.wait(20)
    read_ours()


def read_ours():
    """What Calc makes of the table that Enlace puts on the clipboard: the filter is that of pasting."""
    with TemporaryDirectory() as folder:
        page = Path(folder) / "enlace.html"
        page.write_text('<meta charset="utf-8">' + json.loads((HERE / "enlace.json").read_text())["html"])
        written = "csv:Text - txt - csv (StarCalc):9,34,76,1,,0,false,true"  # tabs between, as shown
        asked = ["soffice", "--headless", "--infilter=HTML (StarCalc)", "--convert-to", written, "--outdir", folder]
        subprocess.run([*asked, str(page)], check=True)
        (HERE / "calc-read.txt").write_text((Path(folder) / "enlace.csv").read_text())


if __name__ == "__main__":
    main()
