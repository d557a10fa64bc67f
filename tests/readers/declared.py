"""Saltmarsh Ferries as an application declares it in Python: the same model as the demo's ferry.sql."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated

from sqlalchemy import (
    CHAR,
    BigInteger,
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    Integer,
    Numeric,
    SmallInteger,
    String,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """All tables of the company."""


Code = Annotated[str, mapped_column(CHAR(36), primary_key=True)]
Number = Annotated[int, mapped_column(Integer, primary_key=True, autoincrement=False)]
Big = Annotated[int, mapped_column(BigInteger, primary_key=True, autoincrement=False)]
Name = Annotated[str, mapped_column(String(60))]


def money(digits: int = 7, scale: int = 2) -> Numeric[Decimal]:
    return Numeric(digits, scale)


class OperatorSettings(Base):
    __tablename__ = "operator_settings"
    __table_args__ = (CheckConstraint("operator_settings_id = 1"), CheckConstraint("booking_opens_days BETWEEN 30 AND 365"))
    operator_settings_id: Mapped[Number]
    operator_name: Mapped[str] = mapped_column(String(80))
    support_email: Mapped[str] = mapped_column(String(120))
    currency: Mapped[str] = mapped_column(CHAR(3), server_default="EUR")
    booking_opens_days: Mapped[int]


class Island(Base):
    __tablename__ = "island"
    island_id: Mapped[Code]
    code: Mapped[str] = mapped_column(CHAR(3), unique=True)
    name: Mapped[Name] = mapped_column(unique=True)
    area_km2: Mapped[Decimal] = mapped_column(money(), CheckConstraint("area_km2 > 0"))


class VesselClass(Base):
    __tablename__ = "vessel_class"
    vessel_class_id: Mapped[Code]
    code: Mapped[str] = mapped_column(CHAR(2), unique=True)
    title: Mapped[Name]


class Qualification(Base):
    __tablename__ = "qualification"
    qualification_id: Mapped[Code]
    code: Mapped[str] = mapped_column(String(8), unique=True)
    title: Mapped[str] = mapped_column(String(80))
    valid_years: Mapped[int | None] = mapped_column(CheckConstraint("valid_years BETWEEN 1 AND 10"))


class Port(Base):
    __tablename__ = "port"
    port_id: Mapped[Number]
    island_id: Mapped[str] = mapped_column(CHAR(36), ForeignKey("island.island_id", ondelete="RESTRICT"))
    name: Mapped[Name] = mapped_column(unique=True)
    slug: Mapped[Name] = mapped_column(unique=True)
    latitude: Mapped[Decimal] = mapped_column(money(8, 5), CheckConstraint("latitude BETWEEN 54.5 AND 56.5"))
    longitude: Mapped[Decimal] = mapped_column(money(8, 5), CheckConstraint("longitude BETWEEN -8.5 AND -5.5"))
    pilot_vessel_id: Mapped[int | None] = mapped_column(ForeignKey("vessel.vessel_id", ondelete="SET NULL", use_alter=True))
    depth_m: Mapped[Decimal] = mapped_column(money(4, 1), CheckConstraint("depth_m >= 2.5 AND depth_m <= 18"))


class Berth(Base):
    __tablename__ = "berth"
    port_id: Mapped[int] = mapped_column(ForeignKey("port.port_id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(SmallInteger, CheckConstraint("number BETWEEN 1 AND 6"), primary_key=True)
    length_m: Mapped[Decimal] = mapped_column(money(5, 1), CheckConstraint("length_m >= 15 AND length_m <= 220"))


class Vessel(Base):
    __tablename__ = "vessel"
    __table_args__ = (CheckConstraint("retired_on IS NULL OR retired_on > commissioned_on", name="vessel_retired"),)
    vessel_id: Mapped[Number]
    vessel_class_id: Mapped[str] = mapped_column(CHAR(36), ForeignKey("vessel_class.vessel_class_id"))
    home_port_id: Mapped[int] = mapped_column(ForeignKey("port.port_id", ondelete="RESTRICT"))
    name: Mapped[Name] = mapped_column(unique=True)
    call_sign: Mapped[str] = mapped_column(CHAR(5), unique=True)
    passenger_capacity: Mapped[int] = mapped_column(CheckConstraint("passenger_capacity BETWEEN 12 AND 900"))
    deck_length_m: Mapped[Decimal] = mapped_column(money(5, 1), CheckConstraint("deck_length_m >= 0"), server_default=text("0"))
    commissioned_on: Mapped[date]
    retired_on: Mapped[date | None]


class SafetyCertificate(Base):
    __tablename__ = "safety_certificate"
    __table_args__ = (CheckConstraint("expires_on > issued_on", name="certificate_dates"),)
    vessel_id: Mapped[int] = mapped_column(ForeignKey("vessel.vessel_id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[str] = mapped_column(String(20), unique=True)
    issued_on: Mapped[date]
    expires_on: Mapped[date]


class CrewMember(Base):
    __tablename__ = "crew_member"
    crew_member_id: Mapped[Number]
    reports_to_id: Mapped[int | None] = mapped_column(ForeignKey("crew_member.crew_member_id", ondelete="SET NULL"))
    given_name: Mapped[Name]
    family_name: Mapped[Name]
    email: Mapped[str] = mapped_column(String(120), unique=True)
    phone: Mapped[str | None] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(String(120))
    hired_on: Mapped[date]


class CrewQualification(Base):
    __tablename__ = "crew_qualification"
    crew_member_id: Mapped[int] = mapped_column(ForeignKey("crew_member.crew_member_id", ondelete="CASCADE"), primary_key=True)
    qualification_id: Mapped[str] = mapped_column(CHAR(36), ForeignKey("qualification.qualification_id"), primary_key=True)
    awarded_on: Mapped[date]


class Route(Base):
    __tablename__ = "route"
    __table_args__ = (
        UniqueConstraint("from_port_id", "to_port_id"),
        CheckConstraint("from_port_id <> to_port_id", name="route_ports"),
    )
    route_id: Mapped[Number]
    from_port_id: Mapped[int] = mapped_column(ForeignKey("port.port_id", ondelete="RESTRICT"))
    to_port_id: Mapped[int] = mapped_column(ForeignKey("port.port_id", ondelete="RESTRICT"))
    distance_nm: Mapped[Decimal] = mapped_column(money(5, 1), CheckConstraint("distance_nm > 0"))
    duration_minutes: Mapped[int] = mapped_column(CheckConstraint("duration_minutes BETWEEN 10 AND 720"))


class Fare(Base):
    __tablename__ = "fare"
    route_id: Mapped[int] = mapped_column(ForeignKey("route.route_id", ondelete="CASCADE"), primary_key=True)
    fare_class: Mapped[str] = mapped_column(
        String(10), CheckConstraint("fare_class IN ('adult', 'child', 'islander', 'group')"), primary_key=True
    )
    price: Mapped[Decimal] = mapped_column(money(), CheckConstraint("price > 0"))


class Sailing(Base):
    __tablename__ = "sailing"
    __table_args__ = (
        UniqueConstraint("vessel_id", "departs_at"),
        Index("sailing_route", "sailing_id", "route_id", unique=True),
        CheckConstraint("arrives_at > departs_at", name="sailing_times"),
    )
    sailing_id: Mapped[Number]
    vessel_id: Mapped[int] = mapped_column(ForeignKey("vessel.vessel_id", ondelete="RESTRICT"))
    route_id: Mapped[int] = mapped_column(ForeignKey("route.route_id", ondelete="RESTRICT"))
    departs_at: Mapped[datetime]
    arrives_at: Mapped[datetime]
    status: Mapped[str] = mapped_column(
        String(10), CheckConstraint("status IN ('scheduled', 'sailed', 'cancelled')"), server_default="scheduled"
    )


class SailingCrew(Base):
    __tablename__ = "sailing_crew"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_member_id", "qualification_id"], ["crew_qualification.crew_member_id", "crew_qualification.qualification_id"],
            name="qualified", ondelete="CASCADE",
        ),
    )  # fmt: skip
    sailing_id: Mapped[int] = mapped_column(ForeignKey("sailing.sailing_id", ondelete="CASCADE"), primary_key=True)
    crew_member_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    qualification_id: Mapped[str] = mapped_column(CHAR(36))
    role: Mapped[str] = mapped_column(String(12), CheckConstraint("role IN ('master', 'mate', 'engineer', 'deckhand')"))


class Passenger(Base):
    __tablename__ = "passenger"
    __table_args__ = (
        CheckConstraint(
            "(street IS NULL AND postal_code IS NULL AND city IS NULL) OR "
            "(street IS NOT NULL AND postal_code IS NOT NULL AND city IS NOT NULL)",
            name="passenger_address",
        ),
    )
    passenger_id: Mapped[Big]
    given_name: Mapped[Name]
    family_name: Mapped[Name]
    email: Mapped[str] = mapped_column(String(120), unique=True)
    phone: Mapped[str | None] = mapped_column(String(20))
    street: Mapped[str | None] = mapped_column(String(80))
    postal_code: Mapped[str | None] = mapped_column(String(10))
    city: Mapped[str | None] = mapped_column(String(60))
    born_on: Mapped[date]
    joined_at: Mapped[datetime]
    marketing_consent: Mapped[bool] = mapped_column(server_default=text("false"))
    loyalty_tier: Mapped[str] = mapped_column(String(10), CheckConstraint("loyalty_tier IN ('none', 'silver', 'gold')"))
    photo_path: Mapped[str | None] = mapped_column(String(120))


class Booking(Base):
    __tablename__ = "booking"
    __table_args__ = (
        UniqueConstraint("booking_id", "sailing_id"),
        CheckConstraint("(status = 'cancelled') = (cancelled_at IS NOT NULL)", name="booking_cancelled"),
        CheckConstraint("cancelled_at > booked_at", name="booking_order"),
    )
    booking_id: Mapped[Big]
    sailing_id: Mapped[int] = mapped_column(ForeignKey("sailing.sailing_id", ondelete="CASCADE"))
    passenger_id: Mapped[int] = mapped_column(BigInteger, ForeignKey("passenger.passenger_id", ondelete="RESTRICT"))
    reference: Mapped[str] = mapped_column(CHAR(9), unique=True)
    booked_at: Mapped[datetime]
    status: Mapped[str] = mapped_column(String(10), CheckConstraint("status IN ('held', 'paid', 'cancelled')"))
    cancelled_at: Mapped[datetime | None]
    passengers: Mapped[int] = mapped_column(CheckConstraint("passengers BETWEEN 1 AND 9"))
    total: Mapped[Decimal] = mapped_column(money(8), CheckConstraint("total >= 0"))
    remark: Mapped[str | None] = mapped_column(String(160))


class Ticket(Base):
    __tablename__ = "ticket"
    __table_args__ = (
        UniqueConstraint("sailing_id", "seat"),
        ForeignKeyConstraint(["booking_id", "sailing_id"], ["booking.booking_id", "booking.sailing_id"], ondelete="CASCADE"),
        ForeignKeyConstraint(["sailing_id", "route_id"], ["sailing.sailing_id", "sailing.route_id"], name="ticket_route"),
        ForeignKeyConstraint(["route_id", "fare_class"], ["fare.route_id", "fare.fare_class"], name="ticket_fare"),
    )
    ticket_id: Mapped[Big]
    booking_id: Mapped[int] = mapped_column(BigInteger)
    sailing_id: Mapped[int]
    route_id: Mapped[int]
    fare_class: Mapped[str] = mapped_column(String(10))
    seat: Mapped[str] = mapped_column(CHAR(4))
    discount: Mapped[Decimal] = mapped_column(money(3), CheckConstraint("discount BETWEEN 0 AND 0.5"), server_default=text("0"))
    price: Mapped[Decimal] = mapped_column(money(), CheckConstraint("price >= 0"))


class Vehicle(Base):
    __tablename__ = "vehicle"
    vehicle_id: Mapped[Big]
    booking_id: Mapped[int] = mapped_column(BigInteger, ForeignKey("booking.booking_id", ondelete="CASCADE"), unique=True)
    plate: Mapped[str] = mapped_column(String(10))
    length_m: Mapped[Decimal] = mapped_column(money(4, 1), CheckConstraint("length_m BETWEEN 1.5 AND 18"))


class Remark(Base):
    __tablename__ = "remark"
    remark_id: Mapped[Big]
    ticket_id: Mapped[int] = mapped_column(BigInteger, ForeignKey("ticket.ticket_id", ondelete="CASCADE"), unique=True)
    written_at: Mapped[datetime] = mapped_column(index=True)
    rating: Mapped[int] = mapped_column(SmallInteger, CheckConstraint("rating BETWEEN 1 AND 5"))
    body: Mapped[str] = mapped_column(Text)


class TideGauge(Base):
    __tablename__ = "tide_gauge"
    port_id: Mapped[int] = mapped_column(ForeignKey("port.port_id", ondelete="CASCADE"), primary_key=True)
    read_at: Mapped[datetime] = mapped_column(primary_key=True)
    level_m: Mapped[Decimal] = mapped_column(money(4), CheckConstraint("level_m BETWEEN -3 AND 9"))
