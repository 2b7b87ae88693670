"""What people do: the only place where store, link and kinds are put together.

Rooms from the ground up: ground, recorders, hand_out and take_in, register, review, report, work; the yard stands beside them and answers
what carries a recorder without any of them knowing it.
"""

from kumpel.services.ground.carriers import answer_with
from kumpel.services.yard.carrying import Vehicles

answer_with(Vehicles())
