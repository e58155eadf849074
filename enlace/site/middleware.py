"""Problems that no view caught, as pages."""

from enlace.core.problem import Problem

from .views import problem_page

# What a problem's code means for the one who asked (RFC 9110, section 15).
STATUS = {"missing": 404, "gone": 404, "table gone": 404, "bad": 400, "forbidden": 403, "locked": 503, "slow": 503}


class ProblemMiddleware:
    """Turns a core Problem into a page with its sentence and a fitting status."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        if isinstance(exception, Problem):
            status = STATUS.get(exception.code, 409)
            return problem_page(request, status, exception.what, exception.hint, exception.words)
        return None
