<!-- Makes a text from a template of the rulebook; a draft, so that it is seen first. -->
<script lang="ts">
  import type { components } from '../api/generated/schema';
  import type { Drafting } from '../deploy/drafting.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  interface Props {
    open: boolean;
    server: string;
    templates: components['schemas']['Template'][];
    addons: string[];
    drafting: Drafting;
  }
  let { open = $bindable(), server, templates, addons, drafting }: Props = $props();
  let picked = $state('');
  let template = $derived(templates.find((t) => t.name === picked) ?? templates[0]);
  let values = $state<Record<string, string>>({});
  let addon = $state('');

  const send = () =>
    Promise.resolve(() => {
      const said = (template?.words ?? []).flatMap((w) => (values[w]?.trim() ? [[w, values[w].trim()]] : []));
      const wish = {
        template: template!.name,
        for: addon || undefined,
        with: Object.fromEntries(said) as Record<string, string>
      };
      return drafting.start(server, { tweaks: [wish] });
    });
</script>

<FormSheet
  bind:open
  title="Make a text"
  about="The rulebook has templates of texts. What you leave empty is taken from the server, or from the add-on that the text goes with."
  words={['Draft it', 'Looking…']}
  disabled={!template}
  {send}
>
  <Labelled
    label="Template"
    help={[template?.about, template && `goes to ${template.file}`].filter(Boolean).join('; ')}
  >
    <select class="input" bind:value={() => template?.name ?? '', (v) => (picked = v)}>
      {#each templates as t (t.name)}<option value={t.name}>{t.name}</option>{/each}
    </select>
  </Labelled>
  <Labelled label="Goes with the add-on">
    <select class="input" bind:value={addon}>
      <option value="">none: it stays by itself</option>
      {#each addons as a (a)}<option value={a}>{a}</option>{/each}
    </select>
  </Labelled>
  {#each template?.words ?? [] as w (w)}
    <Labelled label={w}><input class="input" bind:value={values[w]} /></Labelled>
  {/each}
</FormSheet>
