"""What any output tells of a judged run, and in which order; knows no format."""

from plain_verdict.report.page_info import PageInfo
from plain_verdict.report.report import Report

__all__ = ["PageInfo", "Report"]
