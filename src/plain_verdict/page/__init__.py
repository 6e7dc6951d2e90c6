"""Writes the page: one HTML file with everything in it, or a folder of files that needs no script."""

from plain_verdict.page.front import Front
from plain_verdict.page.render import Piece, render_folder, render_page

__all__ = ["Front", "Piece", "render_folder", "render_page"]
