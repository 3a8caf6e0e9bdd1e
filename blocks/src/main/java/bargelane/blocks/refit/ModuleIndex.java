package bargelane.blocks.refit;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;

/**
 * An index of modules in the binary form that kmod looks things up in: a trie of keys, of which
 * each may have several values (kmod, libkmod/libkmod-index.h, "Integers are stored as 32 bit
 * unsigned in network order", version 2.1).
 */
final class ModuleIndex {

  private static final int MAGIC = 0xB007F457;
  private static final int VERSION = 0x00020001;
  private static final int PREFIX = 0x80000000;
  private static final int VALUES = 0x40000000;
  private static final int CHILDREN = 0x20000000;
  private static final int KEYS = 128;
  private static final int LONGEST_KEY = 1024;

  private record Value(int priority, String text) {}

  /** What follows one letter: more letters that all its keys share, and the keys that differ. */
  private static final class Node {
    private final TreeMap<Character, Node> children = new TreeMap<>();
    private final List<Value> values = new ArrayList<>();
  }

  private final Node root = new Node();

  /**
   * Adds a value of a key; of several values those of a lower priority come first. A key that is
   * not of ASCII letters alone is left out, since the format has no place for it, and so is one
   * that is longer than is credible.
   */
  void add(String key, String value, int priority) {
    if (key.length() > LONGEST_KEY || !key.chars().allMatch(c -> c > 0 && c < KEYS)) {
      return;
    }
    Node node = root;
    for (char c : key.toCharArray()) {
      node = node.children.computeIfAbsent(c, k -> new Node());
    }
    int at = 0;
    while (at < node.values.size() && node.values.get(at).priority <= priority) {
      at++;
    }
    node.values.add(at, new Value(priority, value));
  }

  /** The index as a file. */
  byte[] bytes() {
    ByteArrayOutputStream file = new ByteArrayOutputStream();
    try (DataOutputStream out = new DataOutputStream(file)) {
      out.writeInt(MAGIC);
      out.writeInt(VERSION);
      out.writeInt(0);
      int top = write(root, out);
      byte[] bytes = file.toByteArray();
      ByteBuffer.wrap(bytes).putInt(8, top);
      return bytes;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Writes a node after what is below it, and gives where it lies and which parts it has. */
  private static int write(Node first, DataOutputStream out) throws IOException {
    StringBuilder prefix = new StringBuilder();
    Node node = first;
    while (node.values.isEmpty() && node.children.size() == 1) {
      prefix.append(node.children.firstKey().charValue());
      node = node.children.firstEntry().getValue();
    }
    int[] below = new int[KEYS];
    for (var child : node.children.entrySet()) {
      below[child.getKey()] = write(child.getValue(), out);
    }
    int at = out.size();
    if (prefix.length() > 0) {
      text(out, prefix.toString());
      at |= PREFIX;
    }
    if (!node.children.isEmpty()) {
      char from = node.children.firstKey();
      char to = node.children.lastKey();
      out.writeByte(from);
      out.writeByte(to);
      for (char c = from; c <= to; c++) {
        out.writeInt(below[c]);
      }
      at |= CHILDREN;
    }
    if (!node.values.isEmpty()) {
      out.writeInt(node.values.size());
      for (Value v : node.values) {
        out.writeInt(v.priority);
        text(out, v.text);
      }
      at |= VALUES;
    }
    return at;
  }

  private static void text(DataOutputStream out, String text) throws IOException {
    out.write(text.getBytes(StandardCharsets.UTF_8));
    out.writeByte(0);
  }
}
