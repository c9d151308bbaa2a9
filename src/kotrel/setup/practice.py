"""``kotrel practice``: the practice system with a busy shop floor, or back to its start."""

from __future__ import annotations

import argparse
import random
import time
from pathlib import Path

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import listed_and
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import number_from, whole_from
from kotrel.screen.amounts_shown import quantity_text
from kotrel.screen.screen import Screen
from kotrel.workspace.settings import Workspace

EXAMPLE = """\
kotrel practice trade --warehouse SHED --seconds 60
    sells and receives goods there for a minute, as a shop does while it is counted
kotrel practice reset --yes
    the practice system as it was at the start; its loads are gone
kotrel practice serve --open
    the practice system as a service; kotrel init --system http://127.0.0.1:8765 connects to it
kotrel practice till till
    the practice till reads the upload files that come, and answers each with a result file"""


def arguments(parser: argparse.ArgumentParser) -> list[argparse.ArgumentParser]:
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    trade: argparse.ArgumentParser = steps.add_parser("trade", help="sell and receive goods, as a busy shop does")
    trade.add_argument("--seconds", type=number_from(0), default=30, metavar="N", help="for N seconds (default: 30)")
    trade.add_argument(
        "--every",
        type=number_from(0),
        default=1,
        metavar="N",
        help="one sale or receipt every N seconds (default: 1)",
    )
    trade.add_argument("--most", type=whole_from(1), metavar="N", help="stop after N of them")
    trade.add_argument("--warehouse", default="", metavar="CODES", help="only in these, like QUAY,SHED")
    trade.add_argument(
        "--seed", type=whole_from(0), default=1, metavar="N", help="the same seed trades the same goods (default: 1)"
    )
    reset: argparse.ArgumentParser = steps.add_parser("reset", help="put the practice system back to its start")
    reset.add_argument("--yes", action="store_true", help="go ahead without asking")
    till: argparse.ArgumentParser = steps.add_parser(
        "till", help="a strict program that only exchanges files, reading them as they come"
    )
    till.add_argument("folder", metavar="DIR", help="the till's folder")
    till.add_argument("--seconds", type=number_from(0), default=3600, metavar="N", help="for N seconds (default: 3600)")
    till.add_argument(
        "--slow",
        type=number_from(0),
        default=1,
        metavar="N",
        help="works on each file for N seconds (default: 1)",
    )
    till.add_argument("--once", action="store_true", help="read what is there, then stop")
    serve: argparse.ArgumentParser = steps.add_parser(
        "serve", help="the practice system as a service, over HTTP on this machine"
    )
    serve.add_argument(
        "--port", type=whole_from(0, 65_535), default=8765, metavar="N", help="0 for any that is free (default: 8765)"
    )
    serve.add_argument(
        "--new-token",
        metavar="NAME",
        help="make a token for somebody, show it once, and end; a running service accepts it at once",
    )
    serve.add_argument(
        "--rights", default="read,load,undo", metavar="LIST", help="what that token may do (default: read,load,undo)"
    )
    serve.add_argument("--open", action="store_true", help="without a token: anybody on this machine may load")
    serve.add_argument(
        "--most-mb", type=number_from(0), default=16, metavar="N", help="the largest body it accepts (default: 16)"
    )
    serve.add_argument("--rate", type=number_from(0), metavar="N", help="the most requests in a second")
    serve.add_argument(
        "--slow", type=number_from(0), default=0, metavar="N", help="works on each job for N seconds longer"
    )
    serve.add_argument(
        "--faults",
        default="",
        metavar="LIST",
        help="faults and how often, for trying clients: drop=0.1,error=0.05,late-error,twice,lose-status",
    )
    serve.add_argument(
        "--seed", type=whole_from(0), default=1, metavar="N", help="the same seed, the same faults (default: 1)"
    )
    return [trade, reset, till, serve]


def run(args: argparse.Namespace, screen: Screen) -> int:
    if args.step == "till":
        return _till(args, screen)
    workspace = workspace_of(args, screen)
    return {"trade": _trade, "reset": _reset, "serve": _serve}[args.step](args, screen, workspace)


def _trade(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.practice.playing import trade

    warehouses = [each.strip() for each in args.warehouse.split(",") if each.strip()]
    done = []
    ends = time.monotonic() + args.seconds
    try:
        for moved in trade(workspace, random.Random(args.seed), warehouses):
            if moved is None:
                break
            done.append(moved)
            if not screen.as_json and not screen.quiet:
                verb = "sold" if moved.quantity < 0 else "received"
                screen.show(
                    f"{moved.at[11:19]}  {moved.number}  {verb} {quantity_text(abs(moved.quantity))} {moved.item}  {moved.warehouse} {moved.bin or ''}"
                )
            if len(done) == args.most or time.monotonic() + args.every > ends:
                break
            time.sleep(args.every)
    except KeyboardInterrupt:
        pass
    if screen.as_json:
        screen.json(
            {
                "moved": [
                    {
                        "document": table.number,
                        "item": table.item,
                        "warehouse": table.warehouse,
                        "bin": table.bin,
                        "quantity": f"{table.quantity:f}",
                        "at": table.at,
                    }
                    for table in done
                ]
            }
        )
    elif not done:
        screen.show("Nothing is on hand there, so nothing is sold.")
    return 0


def _serve(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.serving.running import faults_of, serve
    from kotrel.serving.tokens import add_token

    if args.new_token is not None:
        rights = [each.strip() for each in args.rights.split(",") if each.strip()]
        token = add_token(workspace.hidden / "service", args.new_token, rights)
        if screen.as_json:
            screen.json({"name": args.new_token, "token": token, "rights": rights})
            return 0
        screen.show(f"{args.new_token} may {listed_and(rights)} with this token, which is shown only now:")
        screen.show(f"  {token}")
        return 0
    chances = faults_of(args.faults)

    def ready(url: str, token: str | None) -> None:
        if screen.as_json:
            screen.json({"url": url, "token": token})
            return
        screen.show(f"The practice system is served at {url}, until Ctrl+C.")
        if token is not None:
            screen.show(f"  token        {token}")
        screen.show(f"Next, in another folder: {'KOTREL_TOKEN=… ' if token else ''}kotrel init --system {url}")

    serve(
        workspace, args.port, args.open, int(args.most_mb * 1_000_000), args.rate, args.slow, chances, args.seed, ready
    )
    return 0


def _till(args: argparse.Namespace, screen: Screen) -> int:
    from kotrel.practice.till import TillResponse, read_upload, waiting_files

    folder, ends = Path(args.folder), time.monotonic() + args.seconds
    done: list[TillResponse] = []
    try:
        while True:
            for path in waiting_files(folder):
                time.sleep(args.slow)
                answer = read_upload(folder, path)
                done.append(answer)
                if not screen.as_json:
                    screen.show(
                        f"{answer.file}: {answer.done} taken, {answer.warned} with a warning, {answer.refused} refused"
                    )
            if args.once or time.monotonic() > ends:
                break
            time.sleep(0.2)
    except KeyboardInterrupt:
        pass
    if screen.as_json:
        screen.json(
            {
                "read": [
                    {"file": each.file, "done": each.done, "warning": each.warned, "refused": each.refused}
                    for each in done
                ]
            }
        )
    elif not done:
        screen.show("There was nothing to read.")
    return 0


def _reset(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.practice.playing import reset

    if not args.yes and (screen.as_json or not screen.is_terminal):
        raise WrongUse(
            "reset asks before it throws anything away, and there is no terminal to ask on",
            "Add --yes to go ahead.",
            "needs-yes",
        )
    if not args.yes and not screen.ask("Throw away everything in this practice system, its loads too?"):
        screen.show("Nothing was changed.")
        return 0
    reset(workspace)
    if screen.as_json:
        screen.json({"reset": True})
    else:
        screen.show(
            "The practice system is as it was at the start. Its loads are gone; exports and counts of before fit it no more."
        )
    return 0
