package bargelane.api;

import java.util.List;

/** Machines to assess for a target site, on the configured basis. */
public record AssessmentAdd(List<String> machines, String target) {}
