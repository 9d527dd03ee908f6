"""Several merges wait in one queue, which is seen from every page, with what is before each and a stop."""

import os
import re
import signal
import threading
import unittest

from playwright.sync_api import expect

from amber_ladder.store import stacks, tasks, workers
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Product, Task
from amber_ladder.work import holding, presence
from tests.support.browser import PageTest
from tests.support.station import running
from tests.support.takes import new_stack, shot_stack, take_of


class Queued(PageTest):
    def test_seen_from_another_page_and_one_that_waits_is_stopped(self) -> None:
        station = running()
        shot = shot_stack()
        stack = new_stack("QUEUE-1", far_um=700)
        # Held while the queue is looked at: on a machine under load all four would be done before a page shows them.
        worker = station.pid("worker")
        self.addCleanup(os.kill, worker, signal.SIGCONT)
        os.kill(worker, signal.SIGSTOP)
        take_of(stack, [*shot.takes[0].frames])
        page = self.page
        page.goto(f"/stacks/{stack.id}/merge")
        expect(page.get_by_role("button", name=re.compile("Queue"))).to_have_count(0)
        for way in ("Pyramid", "Depth pick", "Contrast blend"):
            page.get_by_label(way).check()
        page.get_by_role("button", name="Merge by these 4").click()  # auto was ticked
        last = page.get_by_role("progressbar", name=re.compile(r"Contrast blend, run 4: waiting for QUEUE-1, stack 1"))
        expect(last).to_be_visible()
        page.get_by_role("link", name="Cabinet").first.click()
        page.get_by_role("button", name="Queue, 4").click()
        queue = page.get_by_role("dialog", name="Queue")
        expect(queue.get_by_role("listitem")).to_have_count(4)
        expect(queue.get_by_role("listitem").first).to_contain_text("QUEUE-1, stack 1, take 1: auto, run 1")
        self.assert_accessible()
        waiting = "QUEUE-1, stack 1, take 1: contrast blend, run 4"
        queue.get_by_role("button", name=f"Stop {waiting}").click()
        expect(queue.get_by_text(waiting)).to_have_count(0)
        os.kill(worker, signal.SIGCONT)
        queue.get_by_role("link", name="To its stack").first.click()
        for run in ("Auto, run 1", "Pyramid, run 2", "Depth pick, run 3"):
            expect(page.get_by_role("button", name=run)).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("Queue"))).to_have_count(0)
        expect(page.get_by_text("Contrast blend, run 4 was stopped.")).to_be_visible()

    def test_merges_are_held_for_the_night_put_into_another_order_and_let_go(self) -> None:
        running()
        stack = new_stack("QUEUE-3", far_um=700)
        take_of(stack, [*shot_stack().takes[0].frames])
        self.addCleanup(holding.let_go)
        page = self.page
        page.goto("/day")
        page.get_by_role("button", name="Hours and breaks").click()
        page.get_by_role("combobox", name="Merges").click()
        page.get_by_role("option", name=re.compile("^wait until .* 20:00")).click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name="Queue, 0, held")).to_be_visible()
        page.goto(f"/stacks/{stack.id}/merge")
        for way in ("Pyramid", "Depth pick"):
            page.get_by_label(way).check()
        page.get_by_role("button", name="Merge by these 3").click()  # auto was ticked
        page.get_by_role("button", name="Queue, 3, held").click()
        queue = page.get_by_role("dialog", name="Queue")
        items = queue.get_by_role("listitem")
        expect(items.first).to_contain_text("auto, run 1begins in about")
        self.assert_accessible()
        named = "QUEUE-3, stack 1, take 1: depth pick, run 3"
        queue.get_by_role("button", name=f"First: {named}").click()
        expect(items.first).to_contain_text(named)
        queue.get_by_role("button", name="Earlier: QUEUE-3, stack 1, take 1: pyramid, run 2").click()
        expect(items.nth(1)).to_contain_text("pyramid, run 2")
        queue.get_by_role("combobox", name="Merges").click()
        page.get_by_role("option", name="go on as they come").click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name=re.compile("Queue"))).to_have_count(0)
        with transaction() as session:
            merges = stacks.get_stack(session, stack.id).takes[0].merges
            ended = sorted(merges, key=lambda one: one.task.ended_at or now())
            self.assertEqual([one.number for one in ended], [3, 2, 1])

    def test_who_merges_what_is_said(self) -> None:
        running()
        stack = new_stack("QUEUE-2", far_um=700)
        frames = [*shot_stack().takes[0].frames]
        with transaction() as session:
            take_id = take_of(stack, frames[:8])
            task = Task(kind="merge", stack_id=stack.id)
            take = stacks.get_take(session, take_id)
            stacks.add_product(session, take, Product(kind="merge", settings={"method": "auto"}, task=task))
            tasks.take_up(session, task, "pond")
            tasks.set_progress(session, task, phase="merge", done=3, total=8, seconds_left=400.0)
            task_id = task.id
        stop, showing_up = threading.Event(), threading.Thread(target=lambda: self.show_up("pond", stop))
        showing_up.start()
        try:
            page = self.page
            page.goto("/")
            page.get_by_role("button", name="Queue, 1").click()
            queue = page.get_by_role("dialog", name="Queue")
            expect(queue.get_by_text("The station merges together with pond.")).to_be_visible()
            named = "QUEUE-2, stack 1, take 1: auto, run 1, on pond"
            expect(queue.get_by_role("progressbar", name=re.compile(named))).to_be_visible()
            self.assert_accessible()
        finally:
            stop.set()
            showing_up.join()
            with transaction() as session:
                tasks.end(session, stacks.get_task(session, task_id), "stopped")
                session.delete(workers.get_worker(session, "pond"))

    def show_up(self, name: str, stop: threading.Event) -> None:
        """As a worker on another machine does, as long as the test lasts."""
        presence.show_up(name)
        while not stop.wait(3.0):
            presence.show_up(name)


if __name__ == "__main__":
    unittest.main()
