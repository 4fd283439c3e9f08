<!-- The service itself: what it keeps, and who may come in. -->
<script lang="ts">
  import SignedIn from '../lib/service/SignedIn.svelte';
  import Stockroom from '../lib/service/Stockroom.svelte';
  import Head from '../lib/ui/Head.svelte';
</script>

<Head title="Service" />
<SignedIn />
<Stockroom />
