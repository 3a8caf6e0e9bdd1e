package bargelane.blocks.refit;

import bargelane.blocks.layout.FileTree;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * The modules of one kernel in a guest, from its own {@code modules.dep} and {@code
 * modules.builtin} (kmod, modules.dep(5)).
 */
public final class KernelModules {

  private static final int MOST_INDEX = 16 * 1024 * 1024;

  private final String directory;
  private final Map<String, String> paths = new HashMap<>();
  private final Map<String, List<String>> needs = new HashMap<>();
  private final Set<String> builtin = new HashSet<>();

  private KernelModules(String directory) {
    this.directory = directory;
  }

  /**
   * A module's name from its file's path: without directories and endings, dashes as underlines.
   */
  static String name(String path) {
    String file = path.substring(path.lastIndexOf('/') + 1);
    int end = file.indexOf(".ko");
    return end < 0 ? "" : file.substring(0, end).replace('-', '_');
  }

  /** The kernel versions that a root file system has modules of. */
  public static List<String> versions(FileTree root) throws IOException {
    return root.list("/lib/modules");
  }

  /** The modules of one version; empty if there is no index of them. */
  public static Optional<KernelModules> of(FileTree root, String version) throws IOException {
    KernelModules modules = new KernelModules("/lib/modules/" + version);
    String index = modules.directory + "/modules.dep";
    if (root.size(index).isEmpty()) {
      return Optional.empty();
    }
    for (String line :
        new String(root.read(index, MOST_INDEX), StandardCharsets.UTF_8).split("\n")) {
      int colon = line.indexOf(':');
      if (colon > 0) {
        String path = line.substring(0, colon).strip();
        modules.paths.put(name(path), path);
        String rest = line.substring(colon + 1).strip();
        modules.needs.put(name(path), rest.isEmpty() ? List.of() : List.of(rest.split("\\s+")));
      }
    }
    if (root.size(modules.directory + "/modules.builtin").isPresent()) {
      new String(
              root.read(modules.directory + "/modules.builtin", MOST_INDEX), StandardCharsets.UTF_8)
          .lines()
          .map(KernelModules::name)
          .forEach(modules.builtin::add);
    }
    return Optional.of(modules);
  }

  public boolean builtIn(String module) {
    return builtin.contains(module);
  }

  public boolean has(String module) {
    return paths.containsKey(module) || builtIn(module);
  }

  /** Paths below the version's directory of modules and all that they need, those needed first. */
  public Set<String> closure(List<String> wanted) {
    Set<String> all = new LinkedHashSet<>();
    for (String module : wanted) {
      String path = paths.get(module);
      if (path != null) {
        List<String> needed = needs.get(module);
        // The index lists what must be loaded first last.
        for (int i = needed.size() - 1; i >= 0; i--) {
          all.add(needed.get(i));
        }
        all.add(path);
      }
    }
    return all;
  }

  /** The index's lines for these paths. */
  public String index(Set<String> some) {
    StringBuilder text = new StringBuilder();
    for (String path : some) {
      text.append(path).append(":");
      needs.getOrDefault(name(path), List.of()).forEach(n -> text.append(' ').append(n));
      text.append('\n');
    }
    return text.toString();
  }

  public String directory() {
    return directory;
  }
}
