"""Who came first writes first."""

import threading
import time
from unittest import TestCase

from config.turns import Queue


class Turns(TestCase):
    def test_in_the_order_in_which_they_came_one_at_a_time(self):
        queue, order, inside, most = Queue(), [], 0, 0
        queue.take()

        def work(n):
            nonlocal inside, most
            queue.take()
            inside += 1
            most = max(most, inside)
            order.append(n)
            inside -= 1
            queue.leave()

        workers = []
        for n in range(12):
            workers.append(threading.Thread(target=work, args=(n,)))
            workers[-1].start()
            while len(queue._waiting) <= n:
                time.sleep(0.001)
        queue.leave()
        for w in workers:
            w.join()
        self.assertEqual((order, most), (list(range(12)), 1))
        queue.take()  # free again
        queue.leave()
