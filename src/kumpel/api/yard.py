"""The yard: vehicles and courses."""

from __future__ import annotations

import json
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi.responses import Response

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.api.downloads import attachment, shown
from kumpel.services.yard import course_register, months, vehicles

router = APIRouter(tags=["yard"])


@router.get("/vehicles")
def list_vehicles(db: Database, who: Who) -> list[schemas.Vehicle]:
    return [schemas.Vehicle.model_validate(row) for row in vehicles.all_vehicles(db)]


@router.post("/vehicles", status_code=201)
def add_vehicle(wish: schemas.NewVehicle, db: Database, who: Who) -> schemas.Vehicle:
    return schemas.Vehicle.model_validate(vehicles.put(db, wish.model_dump()))


@router.patch("/vehicles/{vehicle_id}")
def change_vehicle(vehicle_id: int, wish: schemas.VehicleChange, db: Database, who: Who) -> schemas.Vehicle:
    return schemas.Vehicle.model_validate(vehicles.put(db, wish.model_dump(exclude_unset=True), vehicle_id))


@router.put("/vehicles/{vehicle_id}/looks/{what}")
def arrange_vehicle(
    vehicle_id: int,
    what: Annotated[str, Path(pattern="^[a-z-]{1,30}$")],
    wish: schemas.Arrangement,
    db: Database,
    who: Who,
) -> schemas.Vehicle:
    """Remember how sessions of this vehicle are looked at, such as which lanes are shown; null forgets it."""
    return schemas.Vehicle.model_validate(vehicles.arrange(db, vehicle_id, what, wish.value))


@router.get("/vehicles/{vehicle_id}/months")
def vehicle_months(vehicle_id: int, db: Database, who: Who) -> schemas.VehicleMonths:
    """What was driven in a vehicle by month: hours, limits reached, best laps; and which check is due next."""
    return schemas.VehicleMonths.model_validate(months.months_of(db, vehicle_id))


@router.post("/formulas/check")
def check_formula(wish: schemas.FormulaWish, who: Who) -> schemas.FormulaCheck:
    """Whether a formula could be computed, while it is typed."""
    before = [each.model_dump() for each in wish.before]
    sensors = [each.model_dump() for each in wish.sensors]
    return schemas.FormulaCheck.model_validate(vehicles.check_formula(wish.formula, before, sensors))


@router.delete("/vehicles/{vehicle_id}", status_code=204)
def remove_vehicle(vehicle_id: int, db: Database, who: Who) -> None:
    vehicles.remove(db, vehicle_id)


@router.get("/courses")
def list_courses(db: Database, who: Who) -> list[schemas.Course]:
    return [schemas.Course.model_validate(row) for row in course_register.all_courses(db)]


@router.post("/courses", status_code=201)
def add_course(wish: schemas.NewCourse, db: Database, who: Who) -> schemas.Course:
    return schemas.Course.model_validate(course_register.add(db, wish.name, wish.content, who.id))


@router.get(
    "/courses/{course_id}/gpx", response_class=Response, responses={200: {"content": {"application/gpx+xml": {}}}}
)
def course_gpx(course_id: int, db: Database, who: Who) -> Response:
    """The line of a course as a GPX route."""
    name, made = course_register.as_gpx(db, course_id)
    return Response(made, media_type="application/gpx+xml", headers={"Content-Disposition": shown(f"{name}.gpx")})


@router.post("/courses/learnt", status_code=201)
def learn_course(wish: schemas.LearntCourse, db: Database, who: Who) -> schemas.Course:
    """A course from a driven lap of a session."""
    return schemas.Course.model_validate(course_register.learn(db, wish.session_id, wish.lap, wish.name, who.id))


@router.get("/courses/{course_id}")
def get_course(course_id: int, db: Database, who: Who) -> schemas.CourseDetail:
    """A course, also in a version of before."""
    return schemas.CourseDetail.model_validate(course_register.detail(db, course_id))


@router.put("/courses/{course_id}")
def change_course(course_id: int, wish: schemas.CourseChange, db: Database, who: Who) -> schemas.CourseDetail:
    """A new version: another name, or its lines elsewhere."""
    return schemas.CourseDetail.model_validate(
        course_register.change(db, course_id, wish.name, wish.at_m, wish.half_width_m, who.id)
    )


@router.get(
    "/courses/{course_id}/plain",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def course_plain(course_id: int, db: Database, who: Who) -> Response:
    """The course in its plain form, as JSON."""
    row = course_register.course_of(db, course_id)
    name = {"Content-Disposition": attachment(f"{row.name}.json")}
    return Response(json.dumps(row.plain), media_type="application/json", headers=name)


@router.delete("/courses/{course_id}", status_code=204)
def remove_course(course_id: int, db: Database, who: Who) -> None:
    course_register.remove(db, course_id)


@router.post("/vehicles/{vehicle_id}/bring-back", status_code=204)
def bring_vehicle_back(vehicle_id: int, db: Database, who: Who) -> None:
    vehicles.bring_back(db, vehicle_id)


@router.post("/courses/{course_id}/bring-back", status_code=204)
def bring_course_back(course_id: int, db: Database, who: Who) -> None:
    course_register.bring_back(db, course_id)
