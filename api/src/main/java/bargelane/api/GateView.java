package bargelane.api;

import java.util.List;

/** One gate of a machine; shut while findings are listed. */
public record GateView(String gate, boolean open, List<FindingView> shutBy) {}
