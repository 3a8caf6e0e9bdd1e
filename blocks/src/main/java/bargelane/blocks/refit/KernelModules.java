package bargelane.blocks.refit;

import bargelane.blocks.layout.FileTree;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * The modules of one kernel in a guest, from its own {@code modules.dep}, {@code modules.alias} and
 * {@code modules.builtin} (kmod, modules.dep(5)).
 */
public final class KernelModules {

  private static final int MOST_INDEX = 16 * 1024 * 1024;

  private final String directory;
  private final Map<String, String> paths = new LinkedHashMap<>();
  private final Map<String, List<String>> needs = new HashMap<>();
  private final Set<String> builtin = new HashSet<>();
  private final Map<String, List<String>> aliases = new HashMap<>();

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
    if (root.size(modules.directory + "/modules.alias").isPresent()) {
      new String(
              root.read(modules.directory + "/modules.alias", MOST_INDEX), StandardCharsets.UTF_8)
          .lines()
          .map(l -> l.split(" "))
          .filter(l -> l.length == 3 && l[0].equals("alias"))
          .forEach(l -> modules.aliases.computeIfAbsent(l[2], k -> new ArrayList<>()).add(l[1]));
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

  /**
   * The indexes of an archive that holds some of these modules, as depmod makes them for it: what
   * each needs, and which hardware each is for. Text and binary form, by the file's name.
   *
   * @param held names of the modules that it holds, and where each lies below the directory
   */
  Map<String, byte[]> indexes(Map<String, String> held) {
    StringBuilder dependencies = new StringBuilder();
    StringBuilder hardware = new StringBuilder("# Aliases extracted from modules themselves.\n");
    ModuleIndex dependencyIndex = new ModuleIndex();
    ModuleIndex hardwareIndex = new ModuleIndex();
    int order = 0;
    for (String module : paths.keySet()) {
      order++;
      String path = held.get(module);
      if (path == null) {
        continue;
      }
      StringBuilder line = new StringBuilder(path).append(':');
      for (String need : needs.get(module)) {
        line.append(' ').append(held.getOrDefault(name(need), need));
      }
      dependencies.append(line).append('\n');
      dependencyIndex.add(module, line.toString(), order);
      for (String alias : aliases.getOrDefault(module, List.of())) {
        hardware.append("alias ").append(alias).append(' ').append(module).append('\n');
        hardwareIndex.add(underlined(alias), module, order);
      }
    }
    Map<String, byte[]> files = new LinkedHashMap<>();
    files.put("modules.dep", dependencies.toString().getBytes(StandardCharsets.UTF_8));
    files.put("modules.dep.bin", dependencyIndex.bytes());
    files.put("modules.alias", hardware.toString().getBytes(StandardCharsets.UTF_8));
    files.put("modules.alias.bin", hardwareIndex.bytes());
    return files;
  }

  /** An alias as it is looked up: dashes as underlines, but for those of a class in brackets. */
  private static String underlined(String alias) {
    StringBuilder text = new StringBuilder(alias);
    boolean inside = false;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      inside = c == '[' || (inside && c != ']');
      if (c == '-' && !inside) {
        text.setCharAt(i, '_');
      }
    }
    return text.toString();
  }

  public String directory() {
    return directory;
  }
}
