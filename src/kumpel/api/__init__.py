"""HTTP: thin routers over the services, problem details, session cookie, event stream."""
