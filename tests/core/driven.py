"""Courses of the lap simulator as the core knows them."""

from kumpel.core.vehicle.courses import Course, course_from
from kumpel.standins import vehicle_signal


def course_of(track: vehicle_signal.Track) -> Course:
    return course_from(vehicle_signal.course_of(track))
