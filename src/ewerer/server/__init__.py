"""The web application: sign-in, crews, jobs and their revisions, the API, the built front end."""
