"""The use cases: what a person does, from the request to the change that is kept."""
