"""Places elsewhere: folders, branches of repositories, web servers, object stores.

To add one: a module with a class that is a Place, and its row in ``opening``.
"""
