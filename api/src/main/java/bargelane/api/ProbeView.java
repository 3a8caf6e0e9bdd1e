package bargelane.api;

import java.util.List;

/**
 * How it is seen that a machine does its work.
 *
 * @param kind {@code http}, {@code tcp} or {@code none}
 * @param port 0 for the one that its site knows it serves
 * @param chosen whether somebody has said so; otherwise it is what is usual
 * @param seen what the machine was seen to serve, such as {@code tcp 5432}
 */
public record ProbeView(
    String machine,
    String kind,
    int port,
    String path,
    int withinSeconds,
    boolean chosen,
    List<String> seen) {}
