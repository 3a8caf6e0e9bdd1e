package bargelane.api;

import java.util.List;
import java.util.Map;

/** Labels to give to machines by hand, and such to take away; by name or by filter, not both. */
public record LabelEdit(
    List<String> machines, String filter, Map<String, String> set, List<String> remove) {}
